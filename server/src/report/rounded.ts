/** A number with so many decimals at the most. */
export const rounded = (value: number, decimals: number): number => Number(value.toFixed(decimals));
