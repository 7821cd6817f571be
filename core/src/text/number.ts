/** Between thousands, and before a unit. */
export const THIN = "\u2009";
/** A true minus. */
export const MINUS = "\u2212";

/** A number for people: thin spaces between thousands, a true minus, fixed decimals. */
export function number(value: number, decimals = 0, sign = false): string {
  if (!Number.isFinite(value)) {
    return "–";
  }
  const s = Math.abs(value).toFixed(decimals);
  const [whole, part] = s.split(".");
  const zero = Number(s) === 0;
  return `${value < 0 && !zero ? MINUS : sign && !zero ? "+" : ""}${whole!.replace(/\B(?=(\d{3})+(?!\d))/g, THIN)}${part ? `.${part}` : ""}`;
}

/** Hectares of some cells. @param cellM2 area of one */
export const hectares = (cells: number, cellM2: number): number => (cells * cellM2) / 1e4;
