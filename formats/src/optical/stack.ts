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
  for (const b of mtl.bands) {
    const f = files.find((x) => base(x.name) === base(b.file));
    if (!f) {
      if (b.kind === "reflectance") {
        warnings.push(`Band ${b.id} (${b.file}) is not there: the scene is made without it.`);
      } else if (b.kind === "quality") {
        warnings.push(
          `The quality band (${b.file}) is not there: fill and cloud must be found by brightness.`,
        );
      }
      continue;
    }
    used.add(f.name);
    if (f.tiff.bands.length !== 1) {
      throw new FormatError(
        "contradictory",
        `${f.name} has ${f.tiff.bands.length} bands; ${mtlName} says it holds band ${b.id} alone`,
      );
    }
    if (!f.tiff.grid) {
      throw f.tiff.noPosition!;
    }
    if (f.tiff.sampleType !== "uint16" && f.tiff.sampleType !== "uint8") {
      throw new FormatError(
        "unsupported",
        `${f.name} holds ${f.tiff.sampleType} cells; the bands of such a scene are whole numbers of 8 or 16 bits`,
      );
    }
    const wavelengthNm = b.kind === "quality" ? undefined : wavelengthOf(mtl.sensor, b.id);
    const gain =
      b.multiply !== null && b.add !== null && b.kind !== "quality"
        ? { multiply: b.multiply, add: b.add }
        : undefined;
    if (b.kind === "reflectance" && !gain) {
      warnings.push(`${mtlName} gives no gain for band ${b.id}: it has no reflectance.`);
    }
    if (b.kind === "temperature" && !gain) {
      warnings.push(
        `${mtlName} gives no constants for thermal band ${b.id}: it has no temperature.`,
      );
    }
    bands.push({
      id: b.id,
      file: f.name,
      grid: f.tiff.grid,
      info:
        b.kind === "quality"
          ? { name: "quality", unit: "", role: "quality" }
          : {
              name: `B${b.id.replace(/^B/i, "")}`,
              unit: "DN",
              role: b.kind === "reflectance" ? "dn" : gain ? "thermal" : "value",
              ...(wavelengthNm ? { wavelengthNm } : {}),
              ...(gain ? { gain, ...(b.planck ? { planck: b.planck } : {}) } : {}),
            },
    });
  }
  const stranger = files.find((f) => !used.has(f.name));
  if (stranger) {
    throw new FormatError(
      "contradictory",
      `${stranger.name} is none of the bands that ${mtlName} lists`,
      "Drop it by itself.",
    );
  }
  if (!bands.some((b) => b.info.role === "dn")) {
    throw new FormatError(
      "incomplete",
      `None of the band files that ${mtlName} lists is there`,
      "Pick the metadata text together with its band files.",
    );
  }
  const crs = bands[0]!.grid.crs.proj4;
  const odd = bands.find((b) => b.grid.crs.proj4 !== crs);
  if (odd) {
    throw new FormatError(
      "contradictory",
      `${odd.file} is in another reference system than ${bands[0]!.file}`,
    );
  }
  bands.sort((a, b) => (a.info.wavelengthNm ?? 1e9) - (b.info.wavelengthNm ?? 1e9));
  const sizes = [...new Set(bands.map((b) => +cellSize(b.grid)[0].toFixed(6)))];
  const groups = sizes
    .map((cellM) => ({
      cellM,
      bands: bands.filter((b) => +cellSize(b.grid)[0].toFixed(6) === cellM).map((b) => b.info.name),
    }))
    .sort((a, b) => b.bands.length - a.bands.length);
  return { bands, groups, warnings };
}
