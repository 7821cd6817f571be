import * as yup from "yup";

import type { ImageInfo } from "../graph/image";
import { type NodeSpec, node, sourceNode } from "../graph/node";
import type { Output } from "../graph/steps/optical";
import type { SurfaceMethod } from "../graph/steps/surface";
import { type Grid, cellSize, sameGrid, toCell, toMap } from "../grid/grid";
import { cutGrid } from "../grid/union";
import { INDICES } from "../optical/indices";
import { bandOfColour } from "../optical/wavelengths";
import { InputError } from "../errors";

import { type ChainCell, type ChainResult, type Exceptions, checkedExceptions } from "./family";
import { gridSchema } from "./radarChain";
import { onGrid } from "../graph/onGrid";
import { RESAMPLING, type Resampling } from "../raster/resampling";

export const OPTICAL_STEPS = [
  "mask",
  "gaps",
  "reflectance",
  "haze",
  "surface",
  "mosaic",
  "grid",
  "indices",
] as const;
export type OpticalStep = (typeof OPTICAL_STEPS)[number];

/** Settings of every step, one for all dates. `on` false: the step is skipped. */
export interface OpticalChain {
  mask: {
    on: boolean;
    cloud: boolean;
    shadow: boolean;
    cirrus: boolean;
    snow: boolean;
    water: boolean;
    growCells: number;
    borderCells: number;
  };
  /** `sceneId`: the date that fills; null: neighbours do. */
  gaps: { on: boolean; sceneId: string | null; masked: boolean };
  reflectance: { on: boolean };
  haze: { on: boolean; strength: number };
  surface: { on: boolean; method: SurfaceMethod };
  /** `anchorId`: the frame that stays as it is; null: the first of its day. */
  mosaic: {
    on: boolean;
    inside: boolean;
    between: boolean;
    anchorId: string | null;
    featherCells: number;
  };
  grid: { on: boolean; grid: Grid; resampling: Resampling };
  indices: { on: boolean; outputs: Output[]; keep: boolean };
}

const on = yup.boolean().required();
const yes = yup.boolean().required();
const whole = (lo: number, hi: number) => yup.number().integer().min(lo).max(hi).required();
const scene = yup.string().uuid().nullable().defined();
const shapes = {
  mask: yup.object({
    on,
    cloud: yes,
    shadow: yes,
    cirrus: yes,
    snow: yes,
    water: yes,
    growCells: whole(0, 32),
    borderCells: whole(0, 64),
  }),
  gaps: yup.object({ on, sceneId: scene, masked: yes }),
  reflectance: yup.object({ on }),
  haze: yup.object({ on, strength: yup.number().min(0.1).max(1.5).required() }),
  surface: yup.object({
    on,
    method: yup
      .string()
      .oneOf(["darkObject", "cost", "empirical"] as const)
      .required(),
  }),
  mosaic: yup.object({
    on,
    inside: yes,
    between: yes,
    anchorId: scene,
    featherCells: whole(1, 128),
  }),
  grid: yup.object({ on, grid: gridSchema, resampling: yup.string().oneOf(RESAMPLING).required() }),
  indices: yup.object({
    on,
    keep: yes,
    outputs: yup
      .array(
        yup
          .object({
            name: yup.string().trim().min(1).max(60).required(),
            formula: yup.string().max(2000).required(),
          })
          .noUnknown()
          .required(),
      )
      .max(24)
      .required(),
  }),
};
export const opticalChainSchema = yup
  .object(
    Object.fromEntries(
      Object.entries(shapes).map(([k, value]) => [k, value.noUnknown().required()]),
    ),
  )
  .noUnknown() as unknown as yup.ObjectSchema<OpticalChain>;

/** @throws InputError naming scene and field */
export const checkOpticalExceptions = (chain: OpticalChain, exceptions: unknown): Exceptions =>
  checkedExceptions(OPTICAL_STEPS, opticalChainSchema, chain, exceptions, {
    grid: { field: "grid", why: "One date cannot have a grid of its own" },
  });

/** Where a study of optical dates begins. Indices are those that show its hazard. */
export function proposedOptical(
  grid: Grid,
  facts: {
    hazard: string;
    quality: boolean;
    frames: boolean;
    bands: readonly ImageInfo["bands"][number][];
  },
): OpticalChain {
  let wanted: string[];
  if (facts.hazard === "fire") {
    wanted = ["nbr", "ndvi"];
  } else if (facts.hazard === "flood") {
    wanted = ["mndwi", "ndwi", "ndvi"];
  } else {
    wanted = ["ndvi", "evi"];
  }
  return {
    mask: {
      on: true,
      cloud: true,
      shadow: facts.quality,
      cirrus: false,
      snow: false,
      water: facts.quality && facts.hazard === "fire",
      growCells: 2,
      borderCells: 2,
    },
    gaps: { on: false, sceneId: null, masked: false },
    reflectance: { on: true },
    haze: { on: false, strength: 1 },
    surface: { on: true, method: "darkObject" },
    mosaic: { on: facts.frames, inside: true, between: true, anchorId: null, featherCells: 24 },
    grid: { on: true, grid, resampling: "bilinear" },
    indices: {
      on: true,
      keep: true,
      outputs: INDICES.filter(
        (index) =>
          wanted.includes(index.id) &&
          index.needs.every((need) => bandOfColour(facts.bands, need) >= 0),
      ).map(({ name, formula }) => ({ name, formula })),
    },
  };
}

export interface OpticalScene {
  id: string;
  name: string;
  imageId: string;
  info: ImageInfo;
  acquiredAt: string;
}
interface Dated {
  scene: OpticalScene;
  settings: OpticalChain;
}

/**
 * Frames of one day with the same bands and cells in one reference system: those that Mosaic puts
 * together.
 */
export const framesOf = (all: readonly Dated[], of: OpticalScene): Dated[] =>
  all.filter(
    ({ scene: opticalScene, settings }) =>
      settings.mosaic.on &&
      opticalScene.acquiredAt.slice(0, 10) === of.acquiredAt.slice(0, 10) &&
      opticalScene.info.grid.crs.proj4 === of.info.grid.crs.proj4 &&
      cellSize(opticalScene.info.grid).every(
        (value, k) => Math.abs(value / cellSize(of.info.grid)[k]! - 1) < 1e-6,
      ) &&
      opticalScene.info.bands.map((band) => band.name).join() ===
        of.info.bands.map((band) => band.name).join(),
  );

type Cell = ChainCell<OpticalStep>;
const STOPPED = Symbol("stopped");
/**
 * A row of cells that grows step by step; a step that refuses ends it, with what came before still
 * there to look at.
 */
class Row {
  readonly cells: Cell[] = [];
  error: InputError | null = null;
  failedAt?: OpticalStep;
  constructor(
    public at: NodeSpec,
    public info: ImageInfo,
  ) {}
  skip(step: OpticalStep, warnings: string[] = []): void {
    this.cells.push({ step, skipped: true, input: this.at, output: this.at, warnings });
  }
  add(
    step: OpticalStep,
    output: NodeSpec,
    warnings: string[] = [],
    tells: NodeSpec[] = [output],
  ): void {
    this.cells.push({ step, skipped: false, input: this.at, output, warnings, tells });
    this.at = output;
  }
  fail(step: OpticalStep, message: string, field: string, hint?: string): never {
    this.error = new InputError(message, field, hint);
    this.failedAt = step;
    throw STOPPED;
  }
}

/** The steps that each scene goes through by itself: up to Surface. */
function alone({ scene, settings: opticalChain }: Dated, all: readonly Dated[]): Row {
  const row = new Row(sourceNode(scene.imageId), scene.info);
  const info = scene.info;
  const dn = info.bands.some((band) => band.role === "dn");
  const level2 = info.optical?.level === 2;
  const quality = info.bands.some((band) => band.role === "quality");
  const surfaced = opticalChain.surface.on && !level2;
  try {
    // Without a quality band cloud is told on reflectance, which then comes first.
    const early =
      opticalChain.mask.on &&
      dn &&
      !quality &&
      opticalChain.mask.cloud &&
      opticalChain.reflectance.on;
    const params = maskParams(opticalChain, info, !surfaced);
    if (opticalChain.mask.on) {
      row.add(
        "mask",
        early
          ? node("optical.mask", params, node("optical.reflectance", {}, row.at))
          : node("optical.mask", params, row.at),
        quality
          ? []
          : [
              `There is no quality band: only bright cloud is found${info.bands.some((band) => band.role === "thermal" || band.role === "temperature") ? ", told from warm roofs by its temperature," : ""} and no shadow.`,
            ],
      );
    } else {
      row.skip("mask", [
        "Borders, cloud and shadow stay in: they will look like change, and spoil what is taken from the whole scene.",
      ]);
    }
    if (opticalChain.gaps.on) {
      const by =
        opticalChain.gaps.sceneId === null || opticalChain.gaps.sceneId === scene.id
          ? null
          : all.find((dated) => dated.scene.id === opticalChain.gaps.sceneId)?.scene;
      if (by === undefined) {
        row.fail(
          "gaps",
          "The date that fills the gaps is not in the chain",
          "gaps.sceneId",
          "Pick another one, or fill from neighbours.",
        );
      }
      if (by) {
        const filler = node(
          "optical.mask",
          maskParams(all.find((dated) => dated.scene === by)!.settings, by.info, false),
          early ? node("optical.reflectance", {}, sourceNode(by.imageId)) : sourceNode(by.imageId),
        );
        row.add(
          "gaps",
          node(
            "optical.gaps",
            { masked: opticalChain.gaps.masked },
            row.at,
            onGrid(filler, by.info, info.grid),
          ),
          by.acquiredAt > scene.acquiredAt
            ? [
                "The gaps are filled from a later date: what happened between the two dates may come in with it.",
              ]
            : [],
        );
      } else {
        row.add("gaps", node("optical.gaps", { masked: opticalChain.gaps.masked }, row.at));
      }
    } else {
      row.skip("gaps");
    }
    if (!opticalChain.reflectance.on) {
      row.skip(
        "reflectance",
        dn
          ? ["Digital numbers of two dates cannot be compared: the sun stands at another height."]
          : [],
      );
    } else if (!dn) {
      row.skip("reflectance");
    } else if (early) {
      row.cells.push({
        step: "reflectance",
        skipped: false,
        input: row.at,
        output: row.at,
        warnings: [
          "Comes before Mask for this scene: cloud is told on reflectance where there is no quality band.",
        ],
      });
    } else {
      row.add("reflectance", node("optical.reflectance", {}, row.at));
    }
    if (opticalChain.haze.on && !level2) {
      const map = node("optical.hazeMap", {}, row.at);
      const off = node("optical.haze", { strength: opticalChain.haze.strength }, map);
      row.add("haze", off, [], [map, off]);
    } else {
      row.skip(
        "haze",
        opticalChain.haze.on ? ["These numbers are surface reflectance already."] : [],
      );
    }
    // Water leaves after Surface, which finds its darkest ground there.
    const later = (n: NodeSpec) =>
      opticalChain.mask.on && opticalChain.mask.water && quality
        ? node(
            "optical.mask",
            { cloud: false, shadow: false, cirrus: false, snow: false, water: true, growCells: 0 },
            n,
          )
        : n;
    if (opticalChain.surface.on && !level2) {
      const off = node("optical.surface", { method: opticalChain.surface.method }, row.at);
      row.add(
        "surface",
        later(off),
        opticalChain.mask.on
          ? []
          : ["Mask is skipped: borders and cloud go into what is taken from the whole scene."],
        [off],
      );
    } else {
      row.skip("surface", level2 ? [] : ["The light of the air stays in: dates differ by it."]);
    }
  } catch (error) {
    if (error !== STOPPED) {
      throw error;
    }
  }
  return row;
}
/** `water`: whether water is taken out here. */
const maskParams = (
  opticalChain: OpticalChain,
  info: ImageInfo,
  water: boolean,
): Record<string, unknown> => {
  const { on: _on, ...all } = opticalChain.mask;
  const params = { ...all, water: all.water && water };
  const quality = info.bands.some((band) => band.role === "quality");
  return quality ? params : { ...params, shadow: false, cirrus: false, snow: false, water: false };
};

/**
 * The grid that holds frames: on the first frame's cells, where the others may lie between them.
 */
function holdingGrid(frames: readonly ImageInfo[]): Grid {
  const grid = frames[0]!.grid;
  const ends = frames.flatMap((frame) =>
    [
      [0, 0],
      [frame.grid.width, frame.grid.height],
      [0, frame.grid.height],
      [frame.grid.width, 0],
    ].map(([c, r]) => toCell(grid, ...toMap(frame.grid, c!, r!))),
  );
  const lo = (k: 0 | 1) => Math.floor(Math.min(...ends.map((end) => end[k])) + 1e-6);
  const hi = (k: 0 | 1) => Math.ceil(Math.max(...ends.map((end) => end[k])) - 1e-6);
  return cutGrid(grid, { col: lo(0), row: lo(1), width: hi(0) - lo(0), height: hi(1) - lo(1) });
}

/** All scenes' cells to the end. Frames of one day share what Mosaic makes of them. */
export function opticalNodes(all: readonly Dated[]): Map<string, ChainResult<OpticalStep>> {
  const rows = new Map(all.map((dated) => [dated.scene.id, alone(dated, all)]));
  const out = new Map<string, ChainResult<OpticalStep>>();
  const before = new Map([...rows].map(([id, row]) => [id, row.at]));
  for (const dated of all) {
    const { scene, settings: opticalChain } = dated;
    const row = rows.get(scene.id)!;
    try {
      if (row.error) {
        throw STOPPED;
      }
      const frames = opticalChain.mosaic.on ? framesOf(all, scene) : [];
      let info = scene.info;
      if (frames.length > 1) {
        const broken = frames.find((frame) => rows.get(frame.scene.id)!.error);
        if (broken) {
          row.fail(
            "mosaic",
            `${broken.scene.name} cannot be prepared, and Mosaic needs it`,
            "mosaic",
            "Hold that frame out, or mend its step.",
          );
        }
        const grid = holdingGrid(frames.map((frame) => frame.scene.info));
        const even = frames.map((frame) =>
          opticalChain.mosaic.inside
            ? node("optical.evenLight", {}, before.get(frame.scene.id)!)
            : before.get(frame.scene.id)!,
        );
        const placed = frames.map((frame, k) =>
          sameGrid(frame.scene.info.grid, grid)
            ? even[k]!
            : node("grid.warp", { grid, kernel: opticalChain.grid.resampling }, even[k]!),
        );
        const anchor = Math.max(
          0,
          frames.findIndex((frame) => frame.scene.id === opticalChain.mosaic.anchorId),
        );
        const joined = node(
          "optical.mosaic",
          {
            between: opticalChain.mosaic.between,
            anchor,
            featherCells: opticalChain.mosaic.featherCells,
          },
          ...placed,
        );
        row.add("mosaic", joined, [], [...(opticalChain.mosaic.inside ? even : []), joined]);
        info = { ...info, grid };
      } else {
        row.skip("mosaic");
      }
      if (opticalChain.grid.on) {
        row.add(
          "grid",
          sameGrid(info.grid, opticalChain.grid.grid)
            ? row.at
            : node(
                "grid.warp",
                { grid: opticalChain.grid.grid, kernel: opticalChain.grid.resampling },
                row.at,
              ),
          [],
          [],
        );
      } else {
        row.skip("grid", [
          "Each date keeps its own cells: dates on other cells cannot be compared.",
        ]);
      }
      if (opticalChain.indices.on && opticalChain.indices.outputs.length) {
        row.add(
          "indices",
          node(
            "optical.indices",
            { outputs: opticalChain.indices.outputs, keep: opticalChain.indices.keep },
            row.at,
          ),
          [],
          [],
        );
      } else {
        row.skip("indices");
      }
    } catch (error) {
      if (error !== STOPPED) {
        throw error;
      }
    }
    for (const step of OPTICAL_STEPS) {
      if (!row.cells.some((cell) => cell.step === step)) {
        row.cells.push({ step, skipped: true, input: row.at, output: row.at, warnings: [] });
      }
    }
    out.set(scene.id, {
      cells: row.cells,
      result: row.at,
      error: row.error,
      ...(row.failedAt ? { failedAt: row.failedAt } : {}),
    });
  }
  return out;
}
