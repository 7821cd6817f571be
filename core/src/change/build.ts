import { InputError } from "../errors";
import { type NodeSpec, node, sourceNode } from "../graph/node";
import { nameInFormula } from "../formula/datedNames";
import { usualBands } from "./bands";
import { comparingOf } from "./comparing";
import { measureOf, wordsOn } from "./measures/all";
import type { BandUse } from "./measures/measure";
import { type Grid, sameGrid, squareNorthUp } from "../grid/grid";
import {
  type ChangeInputs,
  type ChangeNodes,
  type ChangeSetup,
  type ChangeSide,
  type LimitName,
  type Limits,
  areaOnGrid,
  sameBand,
} from "./setup";
import { onGrid } from "../graph/onGrid";

/**
 * Bands of before that take part, and those of after that are the same. @throws InputError when
 * after lacks one that was picked
 */
function severalBands(
  inputs: ChangeInputs,
  setup: ChangeSetup,
  use: BandUse,
): { before: number[]; after: number[] } {
  const { bands } = inputs.before.info;
  const own = use !== "formula" && setup.bands?.length ? setup.bands : null;
  const picked = own ?? usualBands(bands, setup.band, use);
  const before: number[] = [];
  const after: number[] = [];
  for (const k of picked) {
    const band = bands[k];
    if (!band) {
      throw new InputError(`The before scene has no band ${k + 1}`, "bands");
    }
    try {
      const a = sameBand(band, inputs.after.info);
      before.push(k);
      after.push(a);
    } catch (error) {
      if (own) {
        throw error;
      }
    }
  }
  if (!before.length) {
    throw new InputError("Both dates have no band in common", "bands");
  }
  return { before, after };
}

/**
 * Bands of one date on a grid: as they are, with speckle filtered where they are power, and in
 * decibels then. Bands of one kind only.
 */
export function dateNodes(
  side: ChangeSide,
  bands: readonly number[],
  grid: Grid,
  speckle: ChangeSetup["speckle"],
): { raw: NodeSpec; power: NodeSpec; db: NodeSpec } {
  const raw = onGrid(node("bands.select", { bands }, side.node), side.info, grid);
  if (comparingOf(side.info.bands[bands[0]!]!) === "value") {
    return { raw, power: raw, db: raw };
  }
  let power: NodeSpec;
  if (speckle.filter === "lee") {
    power = node("radar.lee", { windowCells: speckle.windowCells, looks: speckle.looks }, raw);
  } else if (speckle.filter === "refinedLee") {
    power = node("radar.refinedLee", { looks: speckle.looks }, raw);
  } else {
    power = raw;
  }
  return { raw, power, db: node("radar.decibel", {}, power) };
}

/**
 * The graph of a comparison. before and after are in decibels where they are power, else in their
 * own unit; rules see them under those names.
 * @throws InputError when a band is missing or a limit needs what is not there
 */
export function buildChange(inputs: ChangeInputs, setup: ChangeSetup): ChangeNodes {
  const grid = squareNorthUp(inputs.before.info.grid);
  const first = inputs.before.info.bands[setup.band];
  if (!first) {
    throw new InputError(`The before scene has no band ${setup.band + 1}`, "band");
  }
  const comparing = comparingOf(first);
  if (!comparing) {
    throw new InputError(
      `Band ${first.name} of the before scene is ${first.role}: it cannot be compared`,
      "band",
      "Change is measured on calibrated linear power, on reflectance or on an index.",
    );
  }
  const part = measureOf(setup.measure);
  if (!wordsOn(part, first)) {
    throw new InputError(
      part.onPower
        ? `${part.onPower.name} is taken of radar power, and ${first.name} is ${first.role}`
        : `${part.onValues?.name ?? part.key} is not taken of decibels`,
      "measure",
      "Pick another measure.",
    );
  }
  const dateOf = (side: ChangeSide, bands: number[]) => dateNodes(side, bands, grid, setup.speckle);
  const alike = (side: ChangeSide, what: string) => {
    const band = side === inputs.before ? setup.band : sameBand(first, side.info);
    const b = side.info.bands[band]!;
    if (comparingOf(b) !== comparing) {
      throw new InputError(
        `Band ${b.name} of the ${what} scene is ${b.role}, that of before is ${first.role}`,
        "band",
        "Compare the same kind of image on both dates.",
      );
    }
    return dateOf(side, [band]);
  };
  const b = alike(inputs.before, "before");
  const a = alike(inputs.after, "after");
  const several = (use: BandUse) => {
    const k = severalBands(inputs, setup, use);
    return {
      before: dateOf(inputs.before, k.before).db,
      after: dateOf(inputs.after, k.after).db,
      names: k.before.map((i) => nameInFormula(inputs.before.info.bands[i]!)),
    };
  };
  const measure = part.node({ before: b, after: a, several }, setup);
  const { elevation, slope, layers } = layersOf(
    inputs,
    setup,
    grid,
    (side) => alike(side, "other").db,
  );
  const stack = node(
    "bands.stack",
    { names: ["before", "after", "measure", ...layers.map((layer) => layer.name)] },
    b.db,
    a.db,
    measure,
    ...layers.map((layer) => layer.node),
  );
  const seen = node("mask.seen", { marginCells: setup.limits.seenMarginCells }, b.raw, a.raw);
  let studyArea: NodeSpec | null = null;
  if (setup.limits.studyArea) {
    if (!inputs.studyArea) {
      throw new InputError(
        "This study has no study area",
        "limits.studyArea",
        "Draw one, or take this limit away.",
      );
    }
    studyArea = node("mask.studyArea", { polygons: areaOnGrid(inputs.studyArea, grid) }, b.raw);
  }
  const masks = [seen, ...(studyArea ? [studyArea] : [])];
  const inside = (n: NodeSpec, m: NodeSpec[]) => node("bands.mask", {}, n, ...m);
  const gated = inside(stack, masks);
  const stages: ChangeNodes["stages"] = [];
  let raw: NodeSpec;
  let groups: ChangeNodes["groups"] = null;
  if (setup.groups) {
    const { of, classes, ...params } = setup.groups;
    const both = several(of === "measure" ? "measure" : "groups");
    let image: NodeSpec;
    if (of === "measure") {
      image = measure;
    } else if (of === "before") {
      image = both.before;
    } else if (of === "after") {
      image = both.after;
    } else if (of === "both") {
      image = node("bands.join", {}, both.before, both.after);
    } else {
      image = node("change.differences", {}, both.before, both.after);
    }
    groups = {
      groups: node("classify.groups", params, inside(image, masks)),
      before: both.before,
      after: both.after,
    };
    raw = node("classify.pick", { classes }, groups.groups);
    stages.push({ name: "rules", node: raw });
  } else {
    const classed = (n: NodeSpec) => node("change.classes", { rules: setup.rules }, n);
    raw = classed(gated);
    stages.push(
      { name: "rules", node: classed(stack) },
      { name: "seen", node: studyArea ? classed(inside(stack, [seen])) : raw },
    );
    if (studyArea) {
      stages.push({ name: "studyArea", node: raw });
    }
  }
  let classes = raw;
  const limit = (name: LimitName, n: NodeSpec) => {
    classes = n;
    stages.push({ name, node: n });
  };
  for (const layerLimit of layerLimits(setup.limits)) {
    const layer = layers.find((x) => x.name === layerLimit.layer)!;
    limit(
      layerLimit.name,
      node(
        "limit.layer",
        {
          layer: layerLimit.layer,
          ...(layerLimit.min != null ? { min: layerLimit.min } : {}),
          ...(layerLimit.max != null ? { max: layerLimit.max } : {}),
          ...(layerLimit.labels ? { labels: layerLimit.labels } : {}),
        },
        classes,
        layer.node,
      ),
    );
  }
  if (setup.limits.majorityCells) {
    limit("majority", node("limit.majority", { windowCells: setup.limits.majorityCells }, classes));
  }
  if (setup.limits.holeCells) {
    limit(
      "holes",
      node(
        "limit.holes",
        { maxCells: setup.limits.holeCells, neighbours: setup.limits.neighbours },
        classes,
      ),
    );
  }
  if (setup.limits.minPatchCells !== null) {
    limit(
      "minimumPatch",
      node(
        "limit.minimumPatch",
        { minCells: setup.limits.minPatchCells, neighbours: setup.limits.neighbours },
        classes,
      ),
    );
  }
  return {
    before: b.db,
    after: a.db,
    measure,
    slope,
    elevation,
    layers,
    stack,
    seen,
    studyArea,
    gated,
    groups,
    raw,
    classes,
    stages,
  };
}

/** All stages of a map as one image, so that what each limit does is counted in one go. */
export const stagesNode = (changeNodes: ChangeNodes): NodeSpec =>
  node(
    "limit.stages",
    { names: changeNodes.stages.map((stage) => stage.name) },
    ...changeNodes.stages.map((stage) => stage.node),
  );

/** A limit on a layer of the stack; classes beyond it are dropped. */
export interface LayerLimit {
  name: LimitName;
  layer: string;
  min?: number | null;
  max?: number | null;
  labels?: number[];
}
/** Limits on layers that are set, in their order. */
export function layerLimits(limits: Limits): LayerLimit[] {
  const out: LayerLimit[] = [];
  if (limits.cloud) {
    out.push({ name: "cloud", layer: "cloud", max: 0.5 });
  }
  if (limits.hidden) {
    out.push({ name: "hidden", layer: "hidden", max: 0.5 });
  }
  if (limits.elevationM && (limits.elevationM.min !== null || limits.elevationM.max !== null)) {
    out.push({
      name: "elevation",
      layer: "elevation",
      min: limits.elevationM.min,
      max: limits.elevationM.max,
    });
  }
  if (limits.maxSlopeDeg !== null) {
    out.push({ name: "slope", layer: "slope", max: limits.maxSlopeDeg });
  }
  if (limits.drainage) {
    out.push({ name: "drainage", layer: "drainage", max: limits.drainage.maxM });
  }
  if (limits.standing) {
    out.push({ name: "standing", layer: "standing", max: 0.5, labels: [limits.standing.label] });
  }
  return out;
}

/**
 * Area that drains through a place for rules to call it drainage, where no limit says otherwise.
 */
export const DRAINAGE_KM2 = 1;
/**
 * Layers beside both dates and their measure: slope and elevation where there is elevation, the
 * others where a rule or a limit asks for them.
 */
function layersOf(
  inputs: ChangeInputs,
  setup: ChangeSetup,
  grid: Grid,
  of: (side: ChangeSide) => NodeSpec,
): Pick<ChangeNodes, "elevation" | "slope" | "layers"> {
  const limits = setup.limits;
  const z = inputs.elevation;
  const elevation = z ? onGrid(sourceNode(z.id), z.info, grid) : null;
  const slope = elevation ? node("terrain.slope", {}, elevation) : null;
  const layers: ChangeNodes["layers"] = [];
  const needs = (what: string, field: string): never => {
    throw new InputError(
      `${what} needs elevation`,
      field,
      "Add a scene of kind elevation, or take this limit away.",
    );
  };
  if (slope) {
    layers.push({ name: "slope", node: slope }, { name: "elevation", node: elevation! });
  }
  if (limits.maxSlopeDeg !== null && !slope) {
    needs("The slope limit", "limits.maxSlopeDeg");
  }
  if (limits.elevationM && !slope) {
    needs("The elevation limit", "limits.elevationM");
  }
  if (
    limits.drainage ??
    setup.rules.some((rule) => rule.all.some((condition) => condition.layer === "drainage"))
  ) {
    if (!z) {
      needs("The height above drainage", "limits.drainage");
    }
    layers.push({
      name: "drainage",
      node: onGrid(
        node(
          "terrain.aboveDrainage",
          { leastKm2: limits.drainage?.leastKm2 ?? DRAINAGE_KM2 },
          sourceNode(z!.id),
        ),
        z!.info,
        grid,
      ),
    });
  }
  if (setup.rules.some((rule) => rule.all.some((condition) => condition.layer === "cover"))) {
    if (!inputs.cover) {
      throw new InputError(
        "A rule asks for land cover, and its classified raster is not in the study or not ready",
        "coverId",
        "Add a classified raster in Scenes, or take the condition away.",
      );
    }
    layers.push({
      name: "cover",
      node: node(
        "classes.numbers",
        {},
        onGrid(sourceNode(inputs.cover.id), inputs.cover.info, grid),
      ),
    });
  }
  const either = (
    name: string,
    found: (ChangeSide | null)[],
    field: string,
    message: string,
    hint: string,
  ) => {
    const there = found.filter((changeSide): changeSide is ChangeSide => changeSide !== null);
    if (!there.length) {
      throw new InputError(message, field, hint);
    }
    layers.push({
      name,
      node: node(
        "mask.either",
        {},
        ...there.map((changeSide) =>
          sameGrid(changeSide.info.grid, grid)
            ? changeSide.node
            : node("grid.warp", { grid, kernel: "nearest" }, changeSide.node),
        ),
      ),
    });
  };
  const sides = [inputs.before, inputs.after];
  if (limits.cloud) {
    either(
      "cloud",
      sides.map((side) => side.cloud ?? null),
      "limits.cloud",
      "Neither date has a quality band that could tell cloud",
      "Take this limit away, or mask cloud by brightness in Prepare.",
    );
  }
  if (limits.hidden) {
    either(
      "hidden",
      sides.map((side) => {
        const k = side.info.bands.findIndex((band) => band.role === "hidden");
        return k < 0
          ? null
          : { node: node("bands.select", { bands: [k] }, side.node), info: side.info };
      }),
      "limits.hidden",
      "Neither date says what lies in layover and shadow",
      'Turn on "Incidence and hidden cells" of Terrain in Prepare.',
    );
  }
  if (limits.standing) {
    const dates = limits.standing.sceneIds.map((id) => {
      const changeSide = inputs.others?.[id];
      if (!changeSide) {
        throw new InputError(
          "A date that tells what stands there anyway is not in the study or not ready",
          "limits.standing",
          "Take it out of the limit.",
        );
      }
      return of(changeSide);
    });
    layers.push({
      name: "standing",
      node: node("mask.always", { op: limits.standing.op, value: limits.standing.value }, ...dates),
    });
  }
  return { elevation, slope, layers };
}
