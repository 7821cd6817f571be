import { areaOnGrid } from "@hindglance/core/change/areaOnGrid";
import type { CoverClass } from "@hindglance/core/cover/coverClass";
import { type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";
import { onGrid } from "@hindglance/core/graph/onGrid";
import { type Grid, sameGrid } from "@hindglance/core/grid/grid";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import type { Client } from "../db/pool";
import { type Scene, listScenes, studyZones } from "../db/scenes";
import { type Study, findStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { type ReadyScene, isReady } from "./families";
import { type ZonePolygons, zonesOnGrid } from "./zonePolygons";

/** Two classified dates and which of their classes mean the same. */
export interface FromToAsk {
  beforeId: string;
  afterId: string;
  classes: CoverClass[];
}

/** Two classified dates on one grid, and what became of what. */
export interface FromToNodes {
  before: NodeSpec;
  after: NodeSpec;
  transitions: NodeSpec;
  /** Zones of the study, on the grid of the maps, and what tells them from others. */
  zones: { polygons: ZonePolygons; identity: string | null };
  warnings: string[];
}

/** @throws AppError naming the field, where a scene is no classified one of the study */
function classifiedScene(scenes: readonly Scene[], id: string, field: string): ReadyScene {
  const scene = scenes.find((one) => one.id === id);
  if (!scene || !isReady(scene) || scene.info.type !== "class8") {
    throw new AppError(
      422,
      "invalid",
      "This is no classified scene of the study",
      field,
      "Write land cover in Classify, or add a classified raster in Scenes.",
    );
  }
  return scene;
}

/** Classes of a date that are paired with none, in words; null where there are none. */
function leftOut(
  { info, name }: ReadyScene,
  classes: readonly CoverClass[],
  side: "before" | "after",
): string | null {
  const used = new Set(classes.flatMap((one) => one[side]));
  const left = (info.classes ?? []).filter(({ label }) => !used.has(label));
  return left.length
    ? `Left out of ${name}: ${left.map((one) => one.name).join(", ")}. Its cells are in no row and no column.`
    : null;
}

/** @throws AppError 404 */
async function studyOf(client: Client, id: string): Promise<Study> {
  const study = await findStudy(client, id);
  if (!study) {
    throw notFound("study");
  }
  return study;
}

/** The inside of the study area as a mask on the grid of an image; null where a study has none. */
function insideOf({ studyArea }: Study, grid: Grid, image: NodeSpec): NodeSpec | null {
  return studyArea
    ? node("mask.studyArea", { polygons: areaOnGrid(multiPolygonFrom(studyArea), grid) }, image)
    : null;
}

/**
 * What became of what between two classified dates, inside the study area where there is one.
 * @throws AppError where a scene is not there, or both are the same
 */
export async function fromToNodes(
  client: Client,
  studyId: string,
  { beforeId, afterId, classes }: FromToAsk,
): Promise<FromToNodes> {
  const study = await studyOf(client, studyId);
  const scenes = await listScenes(client, studyId);
  const before = classifiedScene(scenes, beforeId, "beforeId");
  const after = classifiedScene(scenes, afterId, "afterId");
  if (before.id === after.id) {
    throw new AppError(422, "invalid", "Before and after are the same map", "afterId", "Pick two.");
  }
  const { grid } = before.info;
  const [was, is] = [
    sourceNode(before.imageId),
    onGrid(sourceNode(after.imageId), after.info, grid),
  ];
  const layer = await studyZones(client, studyId);
  const mask = insideOf(study, grid, was);
  return {
    before: was,
    after: is,
    transitions: node("cover.fromTo", { classes }, was, is, ...(mask ? [mask] : [])),
    zones: {
      polygons: zonesOnGrid(layer, grid),
      identity: layer && `${layer.fileSha256} ${layer.nameField}`,
    },
    warnings: [
      leftOut(before, classes, "before"),
      leftOut(after, classes, "after"),
      sameGrid(grid, after.info.grid)
        ? null
        : "The two maps lie on different grids: after is put on that of before, each cell by its nearest.",
    ].filter((text) => text !== null),
  };
}

/** Classified dates on the grid of the first, and the study area. */
export interface PathNodes {
  dates: NodeSpec[];
  mask: NodeSpec | null;
}

/**
 * Classified dates of a study on one grid, as they are named.
 * @throws AppError where a scene is not there, or named twice
 */
export async function pathNodes(
  client: Client,
  studyId: string,
  sceneIds: readonly string[],
): Promise<PathNodes> {
  const study = await studyOf(client, studyId);
  if (new Set(sceneIds).size < sceneIds.length) {
    throw new AppError(422, "invalid", "A map is named twice", "sceneIds", "Name each once.");
  }
  const scenes = await listScenes(client, studyId);
  const covers = sceneIds.map((id) => classifiedScene(scenes, id, "sceneIds"));
  const { grid } = covers[0]!.info;
  const dates = covers.map(({ imageId, info }) => onGrid(sourceNode(imageId), info, grid));
  return { dates, mask: insideOf(study, grid, dates[0]!) };
}
