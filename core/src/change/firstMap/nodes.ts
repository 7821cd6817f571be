import { InputError } from "../../errors";
import { squareNorthUp } from "../../grid/grid";
import { type NodeSpec, node } from "../../graph/node";
import { buildChange, dateNodes, otherPolarisation } from "../build";
import { type ChangeInputs, type ChangeSetup, type ChangeSide, sameBand } from "../setup";
import { aboveDrainage } from "../layers";
import { NO_LIMITS } from "../limits/all";
import type { Sample } from "./bodies";

/** What a first map is decided on, as bands of one image, and what each is. */
export interface SampleNodes {
  node: NodeSpec;
  names: string[];
  otherIds: string[];
}

/** Looks that the means of a sample have at least, where a window of seven cells allows it. */
const LEAST_LOOKS = 36;
const WINDOWS = [3, 5, 7] as const;
const OTHER = "other ";

const windowFor = (looks: number): number =>
  WINDOWS.find((cells) => cells * cells * looks >= LEAST_LOOKS) ?? 7;

/**
 * The layers of a sample: both dates and their other polarisation as decibels of means, elevation
 * and slope, hidden cells, earlier dates; nodata outside the limits on what is looked at.
 * @param otherIds earlier dates, by the scenes of `inputs.others`
 * @throws InputError where the pair cannot be compared
 */
export function sampleNodes(
  inputs: ChangeInputs,
  setup: ChangeSetup,
  otherIds: readonly string[],
): SampleNodes {
  const band = inputs.before.info.bands[setup.band];
  if (band?.role !== "power") {
    throw new InputError("A first map of water is made of radar power", "setup.band");
  }
  const grid = squareNorthUp(inputs.before.info.grid);
  const plain = buildChange(inputs, {
    ...setup,
    groups: null,
    rules: [],
    measure: "logRatio",
    limits: {
      ...NO_LIMITS,
      studyArea: setup.limits.studyArea,
      seenMarginCells: setup.limits.seenMarginCells,
    },
  });
  const windowCells = windowFor(setup.speckle.looks);
  const means = (side: ChangeSide, k: number) => {
    const { raw } = dateNodes(side, [k], grid, { ...setup.speckle, filter: "none" });
    return node("radar.decibel", {}, node("radar.mean", { windowCells }, raw));
  };
  const cross = otherPolarisation(inputs, band);
  const others = otherIds.flatMap((id) => {
    const side = inputs.others?.[id];
    return side ? [{ id, side }] : [];
  });
  const layers: [name: string, layer: NodeSpec | null][] = [
    ["before", means(inputs.before, setup.band)],
    ["after", means(inputs.after, sameBand(band, inputs.after.info))],
    ["crossBefore", cross && means(inputs.before, cross.before)],
    ["crossAfter", cross && means(inputs.after, cross.after)],
    ["elevation", plain.elevation],
    ["slope", plain.slope],
    ["drainage", inputs.elevation && aboveDrainage(inputs.elevation, grid)],
    ...others.map(({ id, side }): [string, NodeSpec] => [
      `${OTHER}${id}`,
      means(side, sameBand(band, side.info)),
    ]),
  ];
  const there = layers.flatMap(([name, layer]) => (layer ? [{ name, layer }] : []));
  const stack = node(
    "bands.stack",
    { names: there.map(({ name }) => name) },
    ...there.map(({ layer }) => layer),
  );
  const masks = plain.masks.map((mask) => mask.node);
  return {
    node: masks.length ? node("bands.mask", {}, stack, ...masks) : stack,
    names: there.map(({ name }) => name),
    otherIds: others.map(({ id }) => id),
  };
}

/** A sample from the bands of an image, by their names. */
export function sampleOf(
  names: readonly string[],
  bands: readonly Float32Array[],
  width: number,
  height: number,
): Sample {
  const band = (name: string): Float32Array | undefined => bands[names.indexOf(name)];
  const optional = (name: keyof Sample) => {
    const found = band(name);
    return found ? { [name]: found } : {};
  };
  return {
    width,
    height,
    before: band("before")!,
    after: band("after")!,
    ...optional("crossBefore"),
    ...optional("crossAfter"),
    ...optional("elevation"),
    ...optional("slope"),
    ...optional("drainage"),
    others: names.flatMap((name, k) => (name.startsWith(OTHER) ? [bands[k]!] : [])),
  };
}
