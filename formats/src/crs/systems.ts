import type { Crs } from "@hindglance/core/geodesy/crs";
import { FormatError } from "../errors";

/** A box in degrees: west, south, east, north. One over the date line has its west above its east. */
export type LonLatBox = readonly [west: number, south: number, east: number, north: number];

/** A way to WGS 84 that needs no grid. */
export interface Shift {
  /** How far off a place may be, in metres, as the registry states; null where it does not. */
  accuracy: number | null;
  area: LonLatBox;
  /**
   * Moves in metres, rotations in arc seconds (position vector), scale in parts per million, of
   * geocentric coordinates.
   */
  parameters: readonly number[];
  /** Whether it is made for the sea. */
  sea?: boolean;
}

/** A geographic system: what texts call it and its datum, and its ways to WGS 84. */
export interface Datum {
  code: string;
  names: readonly string[];
  /** EPSG code of the datum itself. */
  datumCode: number | null;
  shifts: readonly Shift[];
}

/** A coordinate system of the registry. */
export interface CoordinateSystem {
  /** Such as "EPSG:32727". */
  code: string;
  name: string;
  /** Projection and ellipsoid as a PROJ string, without its shift. */
  projection: string;
  datum: Datum | null;
  area: LonLatBox;
  /** Metres that places were found to be off, where that is more than the shift's accuracy. */
  found?: number;
}

/** A row of the table of systems: name, projection, code of the geographic system, area of use. */
export type SystemRow = [
  name: string,
  projection: string,
  datum: string | null,
  area: LonLatBox,
  found?: number,
];
type ShiftRow = [accuracy: number | null, area: LonLatBox, parameters: number[], sea?: "sea"];
/** A row of the table of geographic systems. */
export type DatumRow = [names: string[], datumCode: number | null, shifts: ShiftRow[]];

interface Tables {
  systems: Record<string, SystemRow>;
  datums: Record<string, DatumRow>;
}

let tables: Promise<Tables> | undefined;

/** The tables, read once. `scripts/coordinateSystems.mjs` makes them. */
function loaded(): Promise<Tables> {
  tables ??= Promise.all([import("./tables/systems.json"), import("./tables/datums.json")]).then(
    ([systems, datums]) => ({ systems: systems.default, datums: datums.default }),
  );
  return tables;
}

function datumFrom(code: string, [names, datumCode, shifts]: DatumRow): Datum {
  const rows = shifts.map(([accuracy, area, parameters, sea]) => ({
    ...{ accuracy, area, parameters },
    sea: sea === "sea",
  }));
  return { code, names, datumCode, shifts: rows };
}

function systemFrom({ systems, datums }: Tables, code: string): CoordinateSystem | null {
  const row = systems[code];
  if (!row) {
    return null;
  }
  const [name, projection, base, area, found] = row;
  const datum = base && datums[base] ? datumFrom(base, datums[base]) : null;
  return { code, name, projection, datum, area, ...(found ? { found } : {}) };
}

/** A system of the registry by its code ("EPSG:32727"); null where it is not there. */
export async function findSystem(code: string): Promise<CoordinateSystem | null> {
  return systemFrom(await loaded(), code);
}

/** All systems of the registry. */
export async function allSystems(): Promise<CoordinateSystem[]> {
  const tablesNow = await loaded();
  return Object.keys(tablesNow.systems).map((code) => systemFrom(tablesNow, code)!);
}

/** All geographic systems that others are based on. */
export async function allDatums(): Promise<Datum[]> {
  return Object.entries((await loaded()).datums).map(([code, row]) => datumFrom(code, row));
}

/** A box in parts that do not cross the date line. */
const unwrapped = ([west, south, east, north]: LonLatBox): LonLatBox[] =>
  west <= east
    ? [[west, south, east, north]]
    : [
        [west, south, 180, north],
        [-180, south, east, north],
      ];

/** Share of a box that lies in another one; of a box without extent 1 or 0. */
export function shareWithin(box: LonLatBox, area: LonLatBox): number {
  // A place has no extent: give it a little.
  const size = (from: number, to: number) => Math.max(to - from, 1e-9);
  let inside = 0;
  let whole = 0;
  for (const [west, south, east, north] of unwrapped(box)) {
    whole += size(west, east) * size(south, north);
    for (const [w, s, e, n] of unwrapped(area)) {
      const [left, right] = [Math.max(west, w), Math.min(east, e)];
      const [low, high] = [Math.max(south, s), Math.min(north, n)];
      inside += left <= right && low <= high ? size(left, right) * size(low, high) : 0;
    }
  }
  return Math.min(1, inside / whole);
}

const extentOf = (area: LonLatBox): number =>
  unwrapped(area).reduce((sum, [w, s, e, n]) => sum + (e - w) * (n - s), 0);

/** Shifts are as good as each other where they are good for about the same part of the ground. */
const AS_MUCH = 0.9;
/** What a shift of unknown accuracy is taken for, metres: one for the sea only comes after it. */
const UNKNOWN_M = 1e6;

/**
 * The shift for a piece of ground: of those that are good for the most of it the most accurate one,
 * one for land before one for the sea, of two equal ones that of the larger area, as the registry's own
 * program does. Null where none is good for any of it.
 */
export function shiftFor(shifts: readonly Shift[], ground: LonLatBox): Shift | null {
  const shares = shifts.map(({ area }) => shareWithin(ground, area));
  const most = Math.max(0, ...shares);
  const fit = shifts.filter((_shift, k) => most > 0 && shares[k]! >= most * AS_MUCH);
  const worth = ({ accuracy, sea }: Shift) => (accuracy ?? UNKNOWN_M) + (sea ? UNKNOWN_M : 0);
  fit.sort((a, b) => worth(a) - worth(b) || extentOf(b.area) - extentOf(a.area));
  return fit[0] ?? null;
}

/** Whether a system is WGS 84 on another projection, or nothing but that. */
const isWgs84 = (datum: Datum | null): boolean => datum?.code === "EPSG:4326";

/** The definition that computes a system with one of its shifts. */
export function definitionOf(projection: string, shift: Shift | null): string {
  const isShifted = shift?.parameters.some((value) => value !== 0);
  const towgs84 = isShifted ? ` +towgs84=${shift!.parameters.join(",")}` : "";
  return `${projection}${towgs84} +no_defs`;
}

/**
 * A system of the registry as it is computed on a piece of ground (its whole area of use where none
 * is given), with the accuracy of its shift to WGS 84: absent for WGS 84 itself, null where the
 * registry knows no way without a grid and coordinates are taken as if they were WGS 84.
 */
export function crsOn(system: CoordinateSystem, ground: LonLatBox = system.area): Crs {
  const { code, name, projection, datum } = system;
  if (isWgs84(datum)) {
    const found = system.found ? { accuracy: system.found } : {};
    return { code, proj4: `${projection} +no_defs`, name, ...found };
  }
  const shift = shiftFor(datum?.shifts ?? [], ground);
  return {
    code,
    proj4: definitionOf(projection, shift),
    name,
    accuracy: shift?.accuracy == null ? null : Math.max(shift.accuracy, system.found ?? 0),
  };
}

/** @throws FormatError where a code is not in the registry, or stands for nothing that can be computed */
export async function requireSystem(code: string): Promise<CoordinateSystem> {
  const system = await findSystem(code);
  if (!system) {
    throw new FormatError(
      "noCrs",
      `The coordinate system ${code} is not known here`,
      "Save the file in a UTM zone or in longitude and latitude.",
    );
  }
  return system;
}
