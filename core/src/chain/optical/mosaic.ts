import { isSameCrs } from "../../geodesy/crs";
import type * as yup from "yup";
import type { ImageInfo } from "../../graph/image";
import { type NodeSpec, node } from "../../graph/node";
import { evenLightStep, mosaicStep } from "../../graph/steps/mosaic";
import { type Grid, cellSize, sameGrid, toCell, toMap } from "../../grid/grid";
import { cutGrid } from "../../grid/union";

import { sceneOrNone, whole, yes, stepSettings } from "../settings";
import type { OpticalRow, OpticalStep } from "./family";
import type { Field } from "../../form/fields";

const settings = stepSettings({
  inside: yes,
  between: yes,
  /** The frame that stays as it is; null: the first of its day. */
  anchorId: sceneOrNone,
  featherCells: whole(1, 128),
});

const bandNames = (info: ImageInfo): string => info.bands.map((band) => band.name).join();
const sameCells = (first: Grid, second: Grid): boolean => {
  const size = cellSize(second);
  return cellSize(first).every((value, k) => Math.abs(value / size[k]! - 1) < 1e-6);
};

/**
 * Frames of one day with the same bands and cells in one reference system: those that Mosaic puts
 * together.
 */
export const framesOf = (rows: readonly OpticalRow[], of: OpticalRow): OpticalRow[] =>
  rows.filter(
    ({ scene, settings: own }) =>
      own.mosaic.on &&
      scene.acquiredAt.slice(0, 10) === of.scene.acquiredAt.slice(0, 10) &&
      isSameCrs(scene.info.grid.crs, of.scene.info.grid.crs) &&
      sameCells(scene.info.grid, of.scene.info.grid) &&
      bandNames(scene.info) === bandNames(of.scene.info),
  );

/**
 * The grid that holds frames: on the first frame's cells, where the others may lie between them.
 */
function holdingGrid(frames: readonly ImageInfo[]): Grid {
  const grid = frames[0]!.grid;
  const corners = frames.flatMap((frame) => {
    const { width, height } = frame.grid;
    const ends = [
      [0, 0],
      [width, height],
      [0, height],
      [width, 0],
    ] as const;
    return ends.map(([column, row]) => toCell(grid, ...toMap(frame.grid, column, row)));
  });
  const low = (k: 0 | 1) => Math.floor(Math.min(...corners.map((corner) => corner[k])) + 1e-6);
  const high = (k: 0 | 1) => Math.ceil(Math.max(...corners.map((corner) => corner[k])) - 1e-6);
  return cutGrid(grid, {
    col: low(0),
    row: low(1),
    width: high(0) - low(0),
    height: high(1) - low(1),
  });
}

/** Frames as one image, and the nodes of even light inside them. */
function joined(row: OpticalRow, frames: readonly OpticalRow[], grid: Grid) {
  const { inside, between, anchorId, featherCells } = row.settings.mosaic;
  const even = frames.map((frame) =>
    inside ? node("optical.evenLight", {}, frame.before) : frame.before,
  );
  const kernel = row.settings.grid.resampling;
  const placed = frames.map((frame, k) =>
    sameGrid(frame.scene.info.grid, grid)
      ? even[k]!
      : node("grid.warp", { grid, kernel }, even[k]!),
  );
  const anchor = Math.max(
    0,
    frames.findIndex((frame) => frame.scene.id === anchorId),
  );
  const output: NodeSpec = node("optical.mosaic", { between, anchor, featherCells }, ...placed);
  return { output, tells: [...(inside ? even : []), output] };
}

const ANCHOR: Field = {
  kind: "scene",
  at: "anchorId",
  label: "Stays as it is",
  among: "all",
  none: { value: null, name: "First frame of the day" },
};

/** Frames of one day as one image. */
export const mosaic: OpticalStep<"mosaic", yup.InferType<typeof settings>> = {
  key: "mosaic",
  name: "Mosaic",
  help: "Frames of one day as one image: light made even inside each, level and contrast brought together, seams feathered.",
  settings,
  graph: [evenLightStep, mosaicStep],
  propose: ({ frames }) => ({
    on: frames,
    inside: true,
    between: true,
    anchorId: null,
    featherCells: 24,
  }),
  place(row, rows) {
    const frames = row.settings.mosaic.on ? framesOf(rows, row) : [];
    if (frames.length < 2) {
      row.skip();
      return;
    }
    const broken = frames.find((frame) => frame.error);
    if (broken) {
      row.refuse(
        `${broken.scene.name} cannot be prepared, and Mosaic needs it`,
        "mosaic",
        "Hold that frame out, or mend its step.",
      );
    }
    const grid = holdingGrid(frames.map((frame) => frame.scene.info));
    const { output, tells } = joined(row, frames, grid);
    row.put(output, [], tells);
    row.info = { ...row.info, grid };
  },
  sentence: (own) =>
    [own.inside ? "inside" : "", own.between ? "between" : ""].filter(Boolean).join(", ") ||
    "no tone",
  shows: ({ cell }) => `${cell.output.inputs.length} frames`,
  fields: (own) => [
    { kind: "switch", at: "inside", label: "Even light inside frames" },
    { kind: "switch", at: "between", label: "Level and contrast between" },
    ...(own.between ? [ANCHOR] : []),
    { kind: "number", at: "featherCells", label: "Feather, cells", name: "Feather", step: 4 },
    { kind: "note", text: "Frames of one day with the same bands are put together." },
  ],
};
