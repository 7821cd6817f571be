import { InputError } from "../errors";
import { type NodeSpec, node, sourceNode } from "../graph/node";
import { onGrid } from "../graph/onGrid";
import type { Grid } from "../grid/grid";
import type { Layer } from "./rules";
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
  rules.some((rule) => rule.all.some((condition) => condition.layer === layer));

/** Elevation on the grid of the map; null where there is none. */
const elevationNode = ({ inputs: { elevation }, grid }: BuildContext): NodeSpec | null =>
  elevation && onGrid(sourceNode(elevation.id), elevation.info, grid);

/** @throws InputError that names the limit without elevation and its field */
export const needsElevation = (what: string, field: string): never => {
  throw new InputError(
    `${what} needs elevation`,
    field,
    "Add a scene of kind elevation, or take this limit away.",
  );
};

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
      const above = node(
        "terrain.aboveDrainage",
        { leastKm2: limit?.leastKm2 ?? DRAINAGE_KM2 },
        sourceNode(elevation.id),
      );
      return onGrid(above, elevation.info, grid);
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
];
