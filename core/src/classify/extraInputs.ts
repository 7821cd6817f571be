import * as yup from "yup";
import { InputError } from "../errors";
import type { ImageInfo } from "../graph/image";
import { type NodeSpec, node } from "../graph/node";
import { onGrid } from "../graph/onGrid";
import type { Grid } from "../grid/grid";
import { TEXTURES, type Texture } from "./texture";

/** The lie of the land. */
export const TERRAINS = ["elevation", "slope"] as const;

/** Windows that texture is looked at in, cells. */
export const TEXTURE_WINDOWS = [3, 5, 7, 9, 11, 15, 21] as const;

/** What classes are told by besides the bands of the date itself. */
export type ExtraInput =
  | { kind: "terrain"; of: (typeof TERRAINS)[number] }
  /** A band of another scene, the same for every date. */
  | { kind: "scene"; sceneId: string; band: string; name: string }
  /** Texture of a band of the date. */
  | { kind: "texture"; band: string; texture: Texture; windowCells: number };

const text = yup.string().min(1).max(120).required();
const shapes = {
  terrain: yup.object({
    kind: yup.string().oneOf(["terrain"]).required(),
    of: yup.string().oneOf(TERRAINS).required(),
  }),
  scene: yup.object({
    kind: yup.string().oneOf(["scene"]).required(),
    sceneId: yup.string().uuid().required(),
    band: text,
    name: text,
  }),
  texture: yup.object({
    kind: yup.string().oneOf(["texture"]).required(),
    band: text,
    texture: yup.string().oneOf(TEXTURES).required(),
    windowCells: yup.number().oneOf(TEXTURE_WINDOWS).required(),
  }),
};
const isKind = (kind: unknown): kind is keyof typeof shapes =>
  typeof kind === "string" && kind in shapes;

/** Schema of one of them. */
export const extraInputSchema = yup.lazy((value: { kind?: unknown } | undefined) =>
  isKind(value?.kind)
    ? shapes[value.kind].noUnknown()
    : yup.mixed().test("kind", "An input is terrain, a scene or texture", () => false),
);

/** Inputs besides the bands of a date at the most. */
export const MOST_EXTRAS = 12;

/** Whether these are inputs besides the bands of a date, none of them twice. */
export const areExtras = (value: unknown): value is ExtraInput[] =>
  Array.isArray(value) &&
  value.length <= MOST_EXTRAS &&
  value.every((one: unknown) => extraInputSchema.isValidSync(one, { strict: true })) &&
  new Set(value.map((one: unknown) => JSON.stringify(one))).size === value.length;

/** What an input is called in models and figures. */
export function extraName(extra: ExtraInput): string {
  switch (extra.kind) {
    case "terrain":
      return extra.of;
    case "scene":
      return extra.name;
    case "texture":
      return `${extra.band} ${extra.texture} ${extra.windowCells}`;
  }
}

/** Images that such inputs are taken from. */
export interface ExtraSources {
  /** Elevation of the study; null: none. */
  elevation: { node: NodeSpec; info: ImageInfo } | null;
  /** By id scenes as they are compared; those that are not there, or not prepared, are missing. */
  scenes: ReadonlyMap<string, { node: NodeSpec; info: ImageInfo }>;
  /** One band of the date on the grid, power in decibels. @throws InputError */
  bandOfDate(name: string): NodeSpec;
}

function sceneBand(
  { sceneId, band, name }: Extract<ExtraInput, { kind: "scene" }>,
  { scenes }: ExtraSources,
  grid: Grid,
): NodeSpec {
  const scene = scenes.get(sceneId);
  const place = scene?.info.bands.findIndex((one) => one.name === band) ?? -1;
  if (!scene || place < 0) {
    throw new InputError(
      `The input ${name} is not there: its scene is not in the study, not prepared, or has no band ${band}`,
      "extras",
      "Prepare the scene, or take the input away.",
    );
  }
  const one = onGrid(node("bands.select", { bands: [place] }, scene.node), scene.info, grid);
  return scene.info.bands[place]!.role === "power" ? node("radar.decibel", {}, one) : one;
}

/** An input as an image of one band on a grid. @throws InputError where it cannot be had */
export function extraNode(extra: ExtraInput, sources: ExtraSources, grid: Grid): NodeSpec {
  switch (extra.kind) {
    case "terrain": {
      const { elevation } = sources;
      if (!elevation) {
        throw new InputError(
          `The input ${extra.of} needs elevation`,
          "extras",
          "Add elevation in Scenes, or take the input away.",
        );
      }
      const on = onGrid(elevation.node, elevation.info, grid);
      return extra.of === "slope" ? node("terrain.slope", {}, on) : on;
    }
    case "scene":
      return sceneBand(extra, sources, grid);
    case "texture": {
      const { band, texture, windowCells } = extra;
      return node("classify.texture", { texture, windowCells }, sources.bandOfDate(band));
    }
  }
}
