import type { ImageFileAsk } from "@hindglance/contract/imageFiles";
import { InputError } from "@hindglance/core/errors";
import { isGeographic } from "@hindglance/core/geodesy/crs";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node, nodeHash, sourceNode } from "@hindglance/core/graph/node";
import { onGrid } from "@hindglance/core/graph/onGrid";
import { versionOf } from "@hindglance/core/graph/registry";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { ontoGlobe } from "@hindglance/core/grid/globe";
import { type Grid, cellSize, toMap } from "@hindglance/core/grid/grid";
import { gridInSystem } from "@hindglance/core/grid/inSystem";
import { crsOfEpsgAt } from "@hindglance/formats/crs/epsg";
import type { Scene } from "../db/scenes";
import { AppError, notFound } from "../errors";
import type { StoredSources } from "../eval/sources";
import { plainName } from "./plainName";
import { chainOfScene, settingsAt } from "./preparation";
import { PROGRAM, sceneRecord } from "./provenance";
import { type StudySides, isDate, sideNode } from "./sides";

/** Cells of a file at the most: a hundred thousand by a hundred thousand. */
const MOST_CELLS = 1e10;

/** A file of a scene as its run makes it. */
export interface PlannedImage {
  node: NodeSpec;
  info: ImageInfo;
  fileName: string;
  /** System, cell size and cells, in words. */
  grid: string;
  items: Record<string, string>;
}

interface Pictured {
  node: NodeSpec;
  info: ImageInfo;
}

/** The image that is asked for, on its own grid. @throws AppError @throws InputError */
async function pictured(
  sources: StoredSources,
  all: StudySides,
  scene: Scene,
  of: ImageFileAsk["of"],
): Promise<Pictured> {
  if (of === "compared") {
    if (!isDate(scene)) {
      throw new AppError(422, "invalid", `${scene.name} is not compared with others`, "of");
    }
    return sideNode(sources, all, scene);
  }
  if (!scene.imageId || !scene.info) {
    throw new AppError(409, "notReady", `${scene.name} is not taken in yet`, "sceneId");
  }
  return { node: sourceNode(scene.imageId), info: scene.info };
}

/** An image in the system and cell size that are asked for. @throws InputError */
async function placed(
  { node: spec, info }: Pictured,
  { epsg, cellSize: cell }: ImageFileAsk,
): Promise<NodeSpec> {
  if (isSensorFrame(info.grid.crs)) {
    throw new InputError(
      "It lies in the lines of its sensor, not on a map",
      "of",
      "Take it as it is compared, once it is prepared.",
    );
  }
  if (epsg === null && cell === null) {
    return spec;
  }
  const { width, height } = info.grid;
  const middle = ontoGlobe(info.grid)(...toMap(info.grid, width / 2, height / 2));
  const crs = epsg === null ? info.grid.crs : await crsOfEpsgAt(epsg, middle);
  const grid = gridInSystem(info.grid, crs, cell);
  if (grid.width * grid.height > MOST_CELLS) {
    throw new InputError(
      `That is ${grid.width} x ${grid.height} cells, more than a file takes`,
      "cellSize",
      "Ask for larger cells.",
    );
  }
  return onGrid(spec, info, grid);
}

const gridText = (grid: Grid): string => {
  const unit = isGeographic(grid.crs) ? "°" : "m";
  return `${grid.crs.code}, ${cellSize(grid)[0]} ${unit}, ${grid.width} x ${grid.height} cells`;
};

/** A cell size as names of files have it. */
const sizeName = (grid: Grid): string =>
  `${String(cellSize(grid)[0]).replace(".", "p")}${isGeographic(grid.crs) ? "deg" : "m"}`;

/** Everything that says how the image of a file came about. */
function itemsOf(all: StudySides, scene: Scene, ask: ImageFileAsk, spec: NodeSpec) {
  const chain = chainOfScene(all.chains, scene.id);
  const provenance = {
    study: all.study.name,
    program: PROGRAM,
    scene: sceneRecord(scene),
    nodeHash: nodeHash(spec, versionOf),
    ...(ask.of === "compared" && chain ? { prepared: settingsAt(chain, scene.id) } : {}),
    ...(ask.of === "compared" && all.align[scene.id] ? { aligned: all.align[scene.id] } : {}),
  };
  return { NAME: scene.name, PROVENANCE: JSON.stringify(provenance) };
}

/**
 * A file of a scene: its image as it is asked for.
 * @throws AppError 404 where the study has no such scene @throws InputError where it cannot be had
 */
export async function plannedImage(
  sources: StoredSources,
  all: StudySides,
  ask: ImageFileAsk,
): Promise<PlannedImage> {
  const scene = all.scenes.find(({ id }) => id === ask.sceneId);
  if (!scene) {
    throw notFound("scene");
  }
  const own = await pictured(sources, all, scene, ask.of);
  const whole = await placed(own, ask);
  const isPower = own.info.bands.some(({ role }) => role === "power");
  const spec = ask.asDecibel && isPower ? node("radar.decibel", {}, whole) : whole;
  const info = await new Evaluator({ sources }).info(spec);
  const code = info.grid.crs.code.replace(/^EPSG:/, "");
  const day = scene.acquiredAt ? new Date(scene.acquiredAt).toISOString().slice(0, 10) : "";
  const words = [scene.name, day, ask.of === "compared" ? "prepared" : "", code];
  return {
    ...{ node: spec, info, grid: gridText(info.grid) },
    fileName: `${plainName([...words, sizeName(info.grid)].filter(Boolean).join(" "))}.tif`,
    items: itemsOf(all, scene, ask, spec),
  };
}
