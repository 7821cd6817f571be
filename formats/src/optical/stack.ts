import type { BandInfo } from "@hindglance/core/graph/image";
import { type Grid, cellSize } from "@hindglance/core/grid/grid";
import { FormatError } from "../errors";
import type { OpenRaster } from "../raster/raster";
import type { Mtl } from "./mtl";

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
export interface Stack {
  bands: StackBand[];
  /** Grids that bands lie on, the one with most bands first. */ groups: {
    cellM: number;
    bands: string[];
  }[];
  warnings: string[];
}

const base = (n: string) => n.replace(/^.*[/\\]/, "").toLowerCase();

/**
 * Bands of a scene out of its files and its metadata text, in the order of their wavelengths
 * whatever the order of the files; the quality band comes last.
 * @throws FormatError when no band is left, or a file is none of the scene's
 */
export function stackBands(mtl: Mtl, files: readonly StackFile[], mtlName: string): Stack {
  const warnings: string[] = [];
  const bands: StackBand[] = [];
  const used = new Set<string>();
  for (const band of mtl.bands) {
    const stackFile = files.find((file) => base(file.name) === base(band.file));
    if (!stackFile) {
      if (band.kind === "reflectance") {
        warnings.push(`Band ${band.id} (${band.file}) is not there: the scene is made without it.`);
      } else if (band.kind === "quality") {
        warnings.push(
          `The quality band (${band.file}) is not there: fill and cloud must be found by brightness.`,
        );
      }
      continue;
    }
    used.add(stackFile.name);
    if (stackFile.tiff.bands.length !== 1) {
      throw new FormatError(
        "contradictory",
        `${stackFile.name} has ${stackFile.tiff.bands.length} bands; ${mtlName} says it holds band ${band.id} alone`,
      );
    }
    if (!stackFile.tiff.grid) {
      throw stackFile.tiff.noPosition!;
    }
    if (stackFile.tiff.sampleType !== "uint16" && stackFile.tiff.sampleType !== "uint8") {
      throw new FormatError(
        "unsupported",
        `${stackFile.name} holds ${stackFile.tiff.sampleType} cells; the bands of such a scene are whole numbers of 8 or 16 bits`,
      );
    }
    const wavelengthNm = band.kind === "quality" ? undefined : wavelengthOf(mtl.sensor, band.id);
    const gain =
      band.multiply !== null && band.add !== null && band.kind !== "quality"
        ? { multiply: band.multiply, add: band.add }
        : undefined;
    if (band.kind === "reflectance" && !gain) {
      warnings.push(`${mtlName} gives no gain for band ${band.id}: it has no reflectance.`);
    }
    if (band.kind === "temperature" && !gain) {
      warnings.push(
        `${mtlName} gives no constants for thermal band ${band.id}: it has no temperature.`,
      );
    }
    bands.push({
      id: band.id,
      file: stackFile.name,
      grid: stackFile.tiff.grid,
      info:
        band.kind === "quality"
          ? { name: "quality", unit: "", role: "quality" }
          : {
              name: `B${band.id.replace(/^B/i, "")}`,
              unit: "DN",
              role: band.kind === "reflectance" ? "dn" : gain ? "thermal" : "value",
              ...(wavelengthNm ? { wavelengthNm } : {}),
              ...(gain ? { gain, ...(band.planck ? { planck: band.planck } : {}) } : {}),
            },
    });
  }
  const stranger = files.find((file) => !used.has(file.name));
  if (stranger) {
    throw new FormatError(
      "contradictory",
      `${stranger.name} is none of the bands that ${mtlName} lists`,
      "Drop it by itself.",
    );
  }
  if (!bands.some((band) => band.info.role === "dn")) {
    throw new FormatError(
      "incomplete",
      `None of the band files that ${mtlName} lists is there`,
      "Pick the metadata text together with its band files.",
    );
  }
  const crs = bands[0]!.grid.crs.proj4;
  const odd = bands.find((band) => band.grid.crs.proj4 !== crs);
  if (odd) {
    throw new FormatError(
      "contradictory",
      `${odd.file} is in another reference system than ${bands[0]!.file}`,
    );
  }
  bands.sort((stackBand, b) => (stackBand.info.wavelengthNm ?? 1e9) - (b.info.wavelengthNm ?? 1e9));
  const sizes = [...new Set(bands.map((band) => +cellSize(band.grid)[0].toFixed(6)))];
  const groups = sizes
    .map((cellM) => ({
      cellM,
      bands: bands
        .filter((band) => +cellSize(band.grid)[0].toFixed(6) === cellM)
        .map((band) => band.info.name),
    }))
    .sort((a, b) => b.bands.length - a.bands.length);
  return { bands, groups, warnings };
}
