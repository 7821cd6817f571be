import { InputError } from "../errors";
import { type NodeSpec, node, sourceNode } from "../graph/node";
import { onGrid } from "../graph/onGrid";
import type { Colour } from "../optical/wavelengths";
import type { Grid } from "../grid/grid";
import { type Layer, rulesOn } from "./rules";
import { SECOND_LAYERS, secondNode } from "./second";
import type { ChangeInputs, ChangeSetup, ChangeSide } from "./setup";

/** What the nodes of a map are made from. */
export interface BuildContext {
  inputs: ChangeInputs;
  setup: ChangeSetup;
  /** Grid of the map. */
  grid: Grid;
  /** Both dates on that grid. */
  before: NodeSpec;
  after: NodeSpec;
  /** Both dates as rules see them, and their measure. */
  seen: { before: NodeSpec; after: NodeSpec; measure: NodeSpec };
  /** Both dates in the other polarisation, as rules see them; null where a date has none. */
  cross: { before: NodeSpec; after: NodeSpec } | null;
  /** Reflectance of both dates in a colour; null where a date has none. */
  colour(colour: Colour): { before: NodeSpec; after: NodeSpec } | null;
  /** The band of another date that is compared, on that grid. @throws InputError */
  dateOf(side: ChangeSide): NodeSpec;
}

/** A layer that rules can ask for besides the dates and their measure. */
interface RuleLayer {
  name: Layer;
  /** The layer; null where nothing asks for it. @throws InputError where it cannot be had */
  node(context: BuildContext): NodeSpec | null;
}

/**
 * Area that drains through a place for rules to call it drainage, where no limit says otherwise.
 */
export const DRAINAGE_KM2 = 1;

const isAsked = ({ rules }: ChangeSetup, layer: Layer): boolean =>
  rulesOn(rules).some((rule) => rule.all.some((condition) => condition.layer === layer));

/** Elevation on the grid of the map; null where there is none. */
const elevationNode = ({ inputs: { elevation }, grid }: BuildContext): NodeSpec | null =>
  elevation && onGrid(sourceNode(elevation.id), elevation.info, grid);

/** Height above the drainage that an area of so many square kilometres makes. */
export const aboveDrainage = (
  elevation: NonNullable<ChangeInputs["elevation"]>,
  grid: Grid,
  leastKm2 = DRAINAGE_KM2,
): NodeSpec =>
  onGrid(
    node("terrain.aboveDrainage", { leastKm2 }, sourceNode(elevation.id)),
    elevation.info,
    grid,
  );

/** @throws InputError that names the limit without elevation and its field */
export const needsElevation = (what: string, field: string): never => {
  throw new InputError(
    `${what} needs elevation`,
    field,
    "Add a scene of kind elevation, or take this limit away.",
  );
};

/** How wide means are, and how far from a cell the lowest or highest of them is looked for. */
const NEAR = { meanCells: 3, withinCells: 1 } as const;
/** Cells of the means that stand for what lies around. */
const WIDE_CELLS = 5;

/** A layer that is made only where a rule asks for it. */
const whenAsked = (name: Layer, made: (context: BuildContext) => NodeSpec): RuleLayer => ({
  name,
  node: (context) => (isAsked(context.setup, name) ? made(context) : null),
});
const near = (side: "lowest" | "highest", of: NodeSpec): NodeSpec =>
  node("cells.nearby", { ...NEAR, side }, of);
const wide = (of: NodeSpec): NodeSpec =>
  node("cells.nearby", { meanCells: WIDE_CELLS, withinCells: 0, side: "lowest" }, of);

/** @throws InputError where a date has no other polarisation */
function crossOf({ cross }: BuildContext): { before: NodeSpec; after: NodeSpec } {
  if (!cross) {
    throw new InputError(
      "A rule asks for the other polarisation, which the two dates do not have in common",
      "rules",
      "Take the condition away, or prepare both polarisations.",
    );
  }
  return cross;
}

/** After − before of reflectance in a colour. @throws InputError where a date has none */
export function colourChange({ colour }: BuildContext, which: Colour): NodeSpec {
  const both = colour(which);
  if (!both) {
    throw new InputError(
      `A rule asks for the reflectance in ${which}, which the two dates do not have in common`,
      "rules",
      "Take the condition away, or keep the reflectance beside the index in Prepare.",
    );
  }
  return node("change.differences", {}, both.before, both.after);
}

/** After − before in the band that is compared, whatever the measure is. */
const differenceOf = ({ seen }: BuildContext): NodeSpec =>
  node("change.differences", {}, seen.before, seen.after);

/** Layers about what lies around a cell, and of the other polarisation. */
const AROUND: readonly RuleLayer[] = [
  whenAsked("beforeNear", ({ seen }) => near("lowest", seen.before)),
  whenAsked("afterNear", ({ seen }) => near("lowest", seen.after)),
  whenAsked("measureNear", ({ seen }) => near("lowest", seen.measure)),
  whenAsked("measurePeak", ({ seen }) => near("highest", seen.measure)),
  whenAsked("measureWide", ({ seen }) => wide(seen.measure)),
  whenAsked("crossBefore", (context) => crossOf(context).before),
  whenAsked("crossAfter", (context) => crossOf(context).after),
  whenAsked("apart", (context) => {
    const { before, after } = crossOf(context);
    const cross = node("change.differences", {}, before, after);
    return wide(node("change.differences", {}, cross, differenceOf(context)));
  }),
  whenAsked("redChange", (context) => colourChange(context, "red")),
  whenAsked("nirChange", (context) => colourChange(context, "nir")),
  whenAsked("swirChange", (context) => colourChange(context, "swir2")),
];

/** Layers of a second sensor: those that rules ask for, and the one that confirms classes. */
const SECOND: readonly RuleLayer[] = SECOND_LAYERS.map((name) => ({
  name,
  node({ inputs, setup, grid }) {
    const { second } = setup;
    if (!isAsked(setup, name) && second?.confirms?.layer !== name) {
      return null;
    }
    if (!second) {
      throw new InputError(
        "A rule asks for a second sensor, and none is set",
        "second",
        "Set one under Second sensor, or take the condition away.",
      );
    }
    const none = { before: null, after: null };
    return secondNode(second, inputs.second ?? none, name, grid);
  },
}));

/** Layers that rules can ask for, as they stand in the stack. */
export const RULE_LAYERS: readonly RuleLayer[] = [
  {
    name: "slope",
    node(context) {
      const elevation = elevationNode(context);
      return elevation && node("terrain.slope", {}, elevation);
    },
  },
  { name: "elevation", node: elevationNode },
  {
    name: "drainage",
    node({ inputs: { elevation }, setup, grid }) {
      const limit = setup.limits.drainage;
      if (!limit && !isAsked(setup, "drainage")) {
        return null;
      }
      if (!elevation) {
        return needsElevation("The height above drainage", "limits.drainage");
      }
      return aboveDrainage(elevation, grid, limit?.leastKm2);
    },
  },
  {
    name: "cover",
    node({ inputs: { cover }, setup, grid }) {
      if (!isAsked(setup, "cover")) {
        return null;
      }
      if (!cover) {
        throw new InputError(
          "A rule asks for land cover, and its classified raster is not in the study or not ready",
          "coverId",
          "Add a classified raster in Scenes, or take the condition away.",
        );
      }
      return node("classes.numbers", {}, onGrid(sourceNode(cover.id), cover.info, grid));
    },
  },
  ...AROUND,
  ...SECOND,
];
