import { InputError } from "../../errors";
import { squareNorthUp } from "../../grid/grid";
import { type NodeSpec, node } from "../../graph/node";
import type { Colour } from "../../optical/wavelengths";
import { BY_RULES } from "../classSource";
import { bandsOfColour, buildChange, dateNodes, otherPolarisation } from "../build";
import {
  type ChangeInputs,
  type ChangeNodes,
  type ChangeSetup,
  type ChangeSide,
  sameBand,
} from "../setup";
import { aboveDrainage } from "../layers";
import { NO_LIMITS } from "../limits/all";
import type { Sample } from "./bodies";
import type { BurnSample } from "./burn";
import type { IndexSample } from "./indices";

/** What a first map is decided on, as bands of one image, and what each is. */
export interface SampleNodes {
  node: NodeSpec;
  names: string[];
}

/** Looks that the means of a sample have at least, where a window of seven cells allows it. */
const LEAST_LOOKS = 36;
const WINDOWS = [3, 5, 7] as const;
const OTHER = "other ";

/** The nodes of a pair without classes, with the limits on what is looked at. */
const plainNodes = (inputs: ChangeInputs, setup: ChangeSetup): ChangeNodes =>
  buildChange(inputs, {
    ...setup,
    ...BY_RULES,
    rules: [],
    limits: {
      ...NO_LIMITS,
      studyArea: setup.limits.studyArea,
      seenMarginCells: setup.limits.seenMarginCells,
    },
  });

const windowFor = (looks: number): number =>
  WINDOWS.find((cells) => cells * cells * looks >= LEAST_LOOKS) ?? 7;

/**
 * The layers of a sample: both dates and their other polarisation as decibels of means, elevation
 * and slope, hidden cells, earlier dates; nodata outside the limits on what is looked at.
 * @param otherIds earlier dates, by the scenes of `inputs.others`
 * @throws InputError where the pair cannot be compared
 */
export function waterNodes(
  inputs: ChangeInputs,
  setup: ChangeSetup,
  otherIds: readonly string[],
): SampleNodes & { otherIds: string[] } {
  const band = inputs.before.info.bands[setup.band];
  if (band?.role !== "power") {
    throw new InputError("A first map of water is made of radar power", "setup.band");
  }
  const grid = squareNorthUp(inputs.before.info.grid);
  const plain = plainNodes(inputs, setup);
  const windowCells = windowFor(setup.speckle.looks);
  const meansOf = (side: ChangeSide, k: number) => {
    const { raw } = dateNodes(side, [k], grid, { ...setup.speckle, filter: "none" });
    return node("radar.decibel", {}, node("radar.mean", { windowCells }, raw));
  };
  const cross = otherPolarisation(inputs, band);
  const others = otherIds.flatMap((id) => {
    const side = inputs.others?.[id];
    return side ? [{ id, side }] : [];
  });
  const layers: [name: string, layer: NodeSpec | null][] = [
    ["before", meansOf(inputs.before, setup.band)],
    ["after", meansOf(inputs.after, sameBand(band, inputs.after.info))],
    ["crossBefore", cross && meansOf(inputs.before, cross.before)],
    ["crossAfter", cross && meansOf(inputs.after, cross.after)],
    ["elevation", plain.elevation],
    ["slope", plain.slope],
    ["drainage", inputs.elevation && aboveDrainage(inputs.elevation, grid)],
    ...others.map(({ id, side }): [string, NodeSpec] => [
      `${OTHER}${id}`,
      meansOf(side, sameBand(band, side.info)),
    ]),
  ];
  return { ...stacked(layers, plain), otherIds: others.map(({ id }) => id) };
}

/** Layers that are there as one image, nodata outside the limits on what is looked at. */
function stacked(
  layers: readonly (readonly [name: string, layer: NodeSpec | null])[],
  { masks }: ChangeNodes,
): SampleNodes {
  const there = layers.flatMap(([name, layer]) => (layer ? [{ name, layer }] : []));
  const names = there.map(({ name }) => name);
  const stack = node("bands.stack", { names }, ...there.map(({ layer }) => layer));
  const masked = masks.length
    ? node("bands.mask", {}, stack, ...masks.map((mask) => mask.node))
    : stack;
  return { node: masked, names };
}

/** Means of three by three cells. */
const means = (of: NodeSpec): NodeSpec =>
  node("cells.nearby", { meanCells: 3, withinCells: 0, side: "lowest" }, of);

/**
 * The layers that a first map of a burn is decided on: the burn ratio before, its loss, and the
 * change of reflectance in the colours that tell char from bare ground.
 * @throws InputError where the pair cannot be compared
 */
export function burnNodes(inputs: ChangeInputs, setup: ChangeSetup): SampleNodes {
  const plain = plainNodes(inputs, setup);
  const grid = squareNorthUp(inputs.before.info.grid);
  const of = (side: ChangeSide, k: number) => dateNodes(side, [k], grid, setup.speckle).raw;
  const nir = bandsOfColour(inputs, "nir");
  const change = (colour: Colour): NodeSpec | null => {
    const found = bandsOfColour(inputs, colour);
    return (
      found &&
      means(
        node(
          "change.differences",
          {},
          of(inputs.before, found.before),
          of(inputs.after, found.after),
        ),
      )
    );
  };
  return stacked(
    [
      ["before", means(plain.before)],
      ["measure", means(node("change.indexLoss", {}, plain.before, plain.after))],
      ["nirBefore", nir && means(of(inputs.before, nir.before))],
      ["red", change("red")],
      ["nir", change("nir")],
      ["swir", change("swir2")],
    ],
    plain,
  );
}

/** The layers that a first map of an index is decided on: both dates and the measure. */
export function indexNodes(inputs: ChangeInputs, setup: ChangeSetup): SampleNodes {
  const plain = plainNodes(inputs, setup);
  return stacked(
    [
      ["before", means(plain.before)],
      ["after", means(plain.after)],
      ["measure", means(plain.measure)],
    ],
    plain,
  );
}

/** A sample of an index from the bands of an image, by their names. */
export function indexSampleOf(
  names: readonly string[],
  bands: readonly Float32Array[],
  width: number,
  height: number,
): IndexSample {
  const band = (name: string): Float32Array => bands[names.indexOf(name)]!;
  const [before, after, measure] = [band("before"), band("after"), band("measure")];
  return { width, height, before, after, measure };
}

/** A sample of a burn from the bands of an image, by their names. */
export function burnSampleOf(
  names: readonly string[],
  bands: readonly Float32Array[],
  width: number,
  height: number,
): BurnSample {
  const band = (name: string): Float32Array | undefined => bands[names.indexOf(name)];
  const colours = (["nirBefore", "red", "nir", "swir"] as const).flatMap((name) => {
    const found = band(name);
    return found ? [[name, found] as const] : [];
  });
  return {
    width,
    height,
    before: band("before")!,
    measure: band("measure")!,
    ...Object.fromEntries(colours),
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
