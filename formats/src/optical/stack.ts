import { isSameCrs } from "@hindglance/core/geodesy/crs";
import type { BandInfo } from "@hindglance/core/graph/image";
import { type Grid, cellSize } from "@hindglance/core/grid/grid";
import { FormatError } from "../errors";
import type { OpenRaster } from "../raster/raster";
import type { Mtl, MtlBand } from "./mtl";

/**
 * Middles of bands in nanometres by band id: of the imagers with a coastal band first, and of the
 * earlier ones that begin with blue.
 */
const COASTAL_FIRST: Record<string, number> = {
  1: 443,
  2: 482,
  3: 561,
  4: 655,
  5: 865,
  6: 1609,
  7: 2201,
  8: 590,
  9: 1373,
  10: 10895,
  11: 12005,
};
const BLUE_FIRST: Record<string, number> = {
  1: 485,
  2: 560,
  3: 660,
  4: 835,
  5: 1650,
  6: 11450,
  7: 2215,
  8: 710,
};
const EARLY = /^(TM|ETM)/i;

/** Centre wavelength of a sensor's band in nanometres, where it is known. */
export const wavelengthOf = (sensor: string, id: string): number | undefined =>
  (EARLY.test(sensor) ? BLUE_FIRST : COASTAL_FIRST)[id.replace(/\D/g, "")];

/** A file that is offered as a band of a scene. */
export interface StackFile {
  name: string;
  tiff: OpenRaster;
}

/** A band of a stack: which file holds it, on which grid, and what it is. */
export interface StackBand {
  id: string;
  file: string;
  grid: Grid;
  info: BandInfo;
}

/** The bands of a scene. */
export interface Stack {
  bands: StackBand[];
  /** Grids that bands lie on, the one with most bands first. */
  groups: { cellM: number; bands: string[] }[];
  warnings: string[];
}

const base = (name: string) => name.replace(/^.*[/\\]/, "").toLowerCase();

/** Where a file of one band lies. @throws FormatError where it cannot be the band that it should be */
function gridOf({ name, tiff }: StackFile, id: string, mtlName: string): Grid {
  if (tiff.bands.length !== 1) {
    throw new FormatError(
      "contradictory",
      `${name} has ${tiff.bands.length} bands; ${mtlName} says it holds band ${id} alone`,
    );
  }
  if (!tiff.grid) {
    throw tiff.noPosition!;
  }
  if (tiff.sampleType !== "uint16" && tiff.sampleType !== "uint8") {
    throw new FormatError(
      "unsupported",
      `${name} holds ${tiff.sampleType} cells; the bands of such a scene are whole numbers of 8 or 16 bits`,
    );
  }
  return tiff.grid;
}

/** What the numbers of a band become reflectance or radiance with, where the metadata gives it. */
const gainOf = ({ kind, multiply, add }: MtlBand): BandInfo["gain"] =>
  multiply !== null && add !== null && kind !== "quality" ? { multiply, add } : undefined;

function roleOf({ kind }: MtlBand, gain: BandInfo["gain"]): BandInfo["role"] {
  if (kind === "reflectance") {
    return "dn";
  }
  return gain ? "thermal" : "value";
}

/** What a band is, from the metadata. */
function infoOf(band: MtlBand, sensor: string): BandInfo {
  if (band.kind === "quality") {
    return { name: "quality", unit: "", role: "quality" };
  }
  const gain = gainOf(band);
  const wavelengthNm = wavelengthOf(sensor, band.id);
  return {
    name: `B${band.id.replace(/^B/i, "")}`,
    unit: "DN",
    role: roleOf(band, gain),
    ...(wavelengthNm ? { wavelengthNm } : {}),
    ...(gain ? { gain } : {}),
    ...(gain && band.planck ? { planck: band.planck } : {}),
  };
}

/** What a scene lacks where the file of a band is not there. */
function warningWithout({ kind, id, file }: MtlBand): string[] {
  switch (kind) {
    case "reflectance":
      return [`Band ${id} (${file}) is not there: the scene is made without it.`];
    case "quality":
      return [
        `The quality band (${file}) is not there: fill and cloud must be found by brightness.`,
      ];
    default:
      return [];
  }
}

/** What a band lacks whose metadata gives no gain. */
function warningOf(band: MtlBand, mtlName: string): string[] {
  const { kind, id } = band;
  if (gainOf(band) || kind === "quality") {
    return [];
  }
  return [
    kind === "reflectance"
      ? `${mtlName} gives no gain for band ${id}: it has no reflectance.`
      : `${mtlName} gives no constants for thermal band ${id}: it has no temperature.`,
  ];
}

/** @throws FormatError where a file is none of the scene's */
function requireNoStranger(mtl: Mtl, files: readonly StackFile[], mtlName: string): void {
  const listed = new Set(mtl.bands.map(({ file }) => base(file)));
  const stranger = files.find(({ name }) => !listed.has(base(name)));
  if (stranger) {
    throw new FormatError(
      "contradictory",
      `${stranger.name} is none of the bands that ${mtlName} lists`,
      "Drop it by itself.",
    );
  }
}

/** @throws FormatError where there is no band of reflectance, or bands are in different systems */
function requireScene(bands: readonly StackBand[], mtlName: string): void {
  if (!bands.some(({ info }) => info.role === "dn")) {
    throw new FormatError(
      "incomplete",
      `None of the band files that ${mtlName} lists is there`,
      "Pick the metadata text together with its band files.",
    );
  }
  const first = bands[0]!;
  const odd = bands.find(({ grid }) => !isSameCrs(grid.crs, first.grid.crs));
  if (odd) {
    throw new FormatError(
      "contradictory",
      `${odd.file} is in another reference system than ${first.file}`,
    );
  }
}

/** Extent of a band's cells, metres, without the noise of its last digits. */
const cellOf = ({ grid }: StackBand): number => +cellSize(grid)[0].toFixed(6);

/** Bands by the size of their cells. */
function groupsOf(bands: readonly StackBand[]): Stack["groups"] {
  const sizes = [...new Set(bands.map(cellOf))];
  return sizes
    .map((cellM) => ({
      cellM,
      bands: bands.filter((band) => cellOf(band) === cellM).map(({ info }) => info.name),
    }))
    .sort((a, b) => b.bands.length - a.bands.length);
}

/**
 * Bands of a scene out of its files and its metadata text, in the order of their wavelengths
 * whatever the order of the files; the quality band comes last.
 * @throws FormatError when no band is left, or a file is none of the scene's
 */
export function stackBands(mtl: Mtl, files: readonly StackFile[], mtlName: string): Stack {
  const warnings: string[] = [];
  const bands: StackBand[] = [];
  for (const band of mtl.bands) {
    const found = files.find(({ name }) => base(name) === base(band.file));
    if (found) {
      const grid = gridOf(found, band.id, mtlName);
      bands.push({ id: band.id, file: found.name, grid, info: infoOf(band, mtl.sensor) });
    }
    warnings.push(...(found ? warningOf(band, mtlName) : warningWithout(band)));
  }
  requireNoStranger(mtl, files, mtlName);
  requireScene(bands, mtlName);
  bands.sort((a, b) => (a.info.wavelengthNm ?? 1e9) - (b.info.wavelengthNm ?? 1e9));
  return { bands, groups: groupsOf(bands), warnings };
}
