import { InputError } from "../errors";
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

/**
 * The bands of a date that classes are told by, as one image on a grid of square cells, north up:
 * power in decibels, all else as it is.
 * @param names bands that are wanted, in their order; null: all that can be used
 * @returns the image and the names of its bands
 * @throws InputError naming a band that the date lacks
 */
export function inputsOf(
  { node: image, info }: Date,
  names: readonly string[] | null,
  grid: Grid = squareNorthUp(info.grid),
): { node: NodeSpec; names: string[] } {
  const usable = usableBands(info.bands);
  const wanted = (names ?? usable.map(({ name }) => name)).map((name) => {
    const found = usable.find((band) => band.name === name);
    if (!found) {
      throw new InputError(
        `The date has no band ${name}; it has ${usable.map((band) => band.name).join(", ") || "none"}`,
        "inputs",
        "Pick bands that every date has, or prepare the dates alike.",
      );
    }
    return found;
  });
  if (wanted.length === 0) {
    throw new InputError("The date has no band that classes could be told by", "inputs");
  }
  const select = (bands: readonly BandInfo[]) =>
    onGrid(
      node("bands.select", { bands: bands.map((b) => info.bands.indexOf(b)) }, image),
      info,
      grid,
    );
  const power = wanted.filter(({ role }) => role === "power");
  const others = wanted.filter(({ role }) => role !== "power");
  const parts = [
    ...(power.length ? [node("radar.decibel", {}, select(power))] : []),
    ...(others.length ? [select(others)] : []),
  ];
  return {
    node: parts.length === 1 ? parts[0]! : node("bands.join", {}, ...parts),
    names: [...power, ...others].map(({ name }) => name),
  };
}
