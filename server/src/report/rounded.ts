/** A number with so many decimals at the most. */
export const rounded = (value: number, decimals: number): number => Number(value.toFixed(decimals));

/** Fields of a line of a table: numbers are numbers. */
export type Row = (string | number)[];
