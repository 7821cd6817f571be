/** Between thousands, and before a unit. */
export const THIN = "\u2009";
/** A true minus. */
export const MINUS = "\u2212";

/** The sign before a number: a true minus, and a plus where it was asked for; nought has none. */
function signOf(value: number, isZero: boolean, plus: boolean): string {
  if (isZero) {
    return "";
  }
  if (value < 0) {
    return MINUS;
  }
  return plus ? "+" : "";
}

/** A number for people: thin spaces between thousands, a true minus, fixed decimals. */
export function number(value: number, decimals = 0, plus = false): string {
  if (!Number.isFinite(value)) {
    return "–";
  }
  const [whole, part] = Math.abs(value).toFixed(decimals).split(".");
  const isZero = Number(`${whole}.${part ?? 0}`) === 0;
  const grouped = whole!.replace(/\B(?=(\d{3})+(?!\d))/g, THIN);
  return `${signOf(value, isZero, plus)}${grouped}${part ? `.${part}` : ""}`;
}

/** Hectares of some cells. @param cellM2 area of one */
export const hectares = (cells: number, cellM2: number): number => (cells * cellM2) / 1e4;
