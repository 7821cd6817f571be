import { InputError } from "../errors";
import { type ExtraInput, type ExtraSources, extraName, extraNode } from "./extraInputs";
import type { BandInfo, ImageInfo } from "../graph/image";
import { type NodeSpec, node } from "../graph/node";
import { onGrid } from "../graph/onGrid";
import { type Grid, squareNorthUp } from "../grid/grid";

/** A date as it is prepared. */
interface Date {
  node: NodeSpec;
  info: ImageInfo;
}

const ROLES: readonly BandInfo["role"][] = [
  "power",
  "decibel",
  "reflectance",
  "value",
  "temperature",
];

/** Bands that classes can be told by: measured ones, no quality bits and no masks. */
export const usableBands = (bands: readonly BandInfo[]): BandInfo[] =>
  bands.filter(({ role }) => ROLES.includes(role));

/** What is looked at besides the bands of a date, and where it is taken from. */
export interface Extras {
  extras: readonly ExtraInput[];
  sources: Omit<ExtraSources, "bandOfDate">;
}

const NO_EXTRAS: Extras = { extras: [], sources: { elevation: null, scenes: new Map() } };

/** @throws InputError naming a band that the date lacks */
function bandNamed(usable: readonly BandInfo[], name: string): BandInfo {
  const found = usable.find((band) => band.name === name);
  if (!found) {
    throw new InputError(
      `The date has no band ${name}; it has ${usable.map((band) => band.name).join(", ") || "none"}`,
      "inputs",
      "Pick bands that every date has, or prepare the dates alike.",
    );
  }
  return found;
}

/**
 * What the classes of a date are told by, as one image on a grid of square cells, north up: its
 * bands, power in decibels, all else as it is; then what is looked at besides.
 * @param names bands that are wanted, in their order; null: all that can be used
 * @returns the image and the names of its bands
 * @throws InputError naming a band that the date lacks, or what cannot be had besides
 */
export function inputsOf(
  { node: image, info }: Date,
  names: readonly string[] | null,
  grid: Grid = squareNorthUp(info.grid),
  { extras, sources }: Extras = NO_EXTRAS,
): { node: NodeSpec; names: string[] } {
  const usable = usableBands(info.bands);
  const wanted = (names ?? usable.map(({ name }) => name)).map((name) => bandNamed(usable, name));
  if (wanted.length === 0) {
    throw new InputError("The date has no band that classes could be told by", "inputs");
  }
  const select = (bands: readonly BandInfo[]) =>
    onGrid(
      node("bands.select", { bands: bands.map((b) => info.bands.indexOf(b)) }, image),
      info,
      grid,
    );
  const seen = (bands: readonly BandInfo[]) =>
    bands[0]!.role === "power" ? node("radar.decibel", {}, select(bands)) : select(bands);
  const power = wanted.filter(({ role }) => role === "power");
  const others = wanted.filter(({ role }) => role !== "power");
  const bandOfDate = (name: string) => seen([bandNamed(usable, name)]);
  const parts = [
    ...[power, others].filter((bands) => bands.length > 0).map(seen),
    ...extras.map((extra) => extraNode(extra, { ...sources, bandOfDate }, grid)),
  ];
  return {
    node: parts.length === 1 ? parts[0]! : node("bands.join", {}, ...parts),
    names: [...[...power, ...others].map(({ name }) => name), ...extras.map(extraName)],
  };
}
