import { MINUS, THIN, number } from "@hindglance/core/text/number";

export { areaSaid, number } from "@hindglance/core/text/number";
export { day, dayYear, monthName, time } from "@hindglance/core/text/time";

/** How many decimals a number has as it is written, at most ten. */
export function decimalsOf(value: number): number {
  for (let decimals = 0; decimals < 10; decimals++) {
    if (Math.abs(value - Number(value.toFixed(decimals))) <= 1e-9 * Math.abs(value)) {
      return decimals;
    }
  }
  return 10;
}

/**
 * A number in a field: with the usual decimals of its quantity, and with more where they would hide
 * what it is (0.001 with one decimal is not 0.0). A true minus, no thousands.
 */
export function shownNumber(value: number, decimals: number): string {
  const exact = Number(value.toPrecision(6));
  const shown = value.toFixed(Math.min(10, Math.max(decimals, decimalsOf(exact))));
  return shown.replace("-", MINUS);
}

/** An area in the unit that was asked for. */
export function area(
  row: { areaM2: number; cells: number; sharePercent: number },
  unit: AreaUnit,
): string {
  if (unit === "cells") {
    return number(row.cells);
  }
  if (unit === "percent") {
    return number(row.sharePercent, 2);
  }
  if (unit === "m2") {
    return number(row.areaM2);
  }
  return unit === "ha" ? number(row.areaM2 / 1e4, 1) : number(row.areaM2 / 1e6, 3);
}
/** Units that an area can be asked for in. */
export type AreaUnit = "km2" | "ha" | "m2" | "cells" | "percent";

/** A number of bytes in the unit that fits it. */
export function bytes(n: number): string {
  const units = ["B", "kB", "MB", "GB", "TB"];
  let k = 0;
  while (n >= 1000 && k < units.length - 1) {
    n /= 1000;
    k++;
  }
  return `${number(n, k === 0 || n >= 100 ? 0 : 1)}${THIN}${units[k]}`;
}

/** A span of time in words. */
export function duration(seconds: number): string {
  if (seconds < 60) {
    return `${Math.max(1, Math.round(seconds))}${THIN}s`;
  }
  return seconds < 3600
    ? `${Math.round(seconds / 60)}${THIN}min`
    : `${number(seconds / 3600, 1)}${THIN}h`;
}

/** Latitude and longitude in degrees, in that order. */
export const degrees = (lon: number, lat: number): string => `${number(lat, 4)}, ${number(lon, 4)}`;
