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

/**
 * An area with its unit: in square kilometres, in hectares where two decimals of those would hide it,
 * in square metres where hectares would.
 */
export function areaSaid(m2: number): string {
  if (m2 === 0 || m2 >= 1e5) {
    return `${number(m2 / 1e6, m2 >= 1e8 ? 1 : 2)}${THIN}km²`;
  }
  return m2 >= 1e3 ? `${number(m2 / 1e4, 1)}${THIN}ha` : `${number(m2, 0)}${THIN}m²`;
}

/** An area in square kilometres, with three decimals. @param m2 square metres */
export const km2 = (m2: number): string => number(m2 / 1e6, 3);

/** Hectares of some cells. @param cellM2 area of one */
export const hectares = (cells: number, cellM2: number): number => (cells * cellM2) / 1e4;
