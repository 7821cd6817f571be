import { changeMapRoutes as routes } from "@hindglance/contract/changeMaps";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { type Grid, levelCount, sameGrid } from "@hindglance/core/grid/grid";
import type { Router } from "express";
import type { ChangeMap } from "../db/changeMaps";
import { createImage, findImage } from "../db/images";
import { AppError } from "../errors";
import { comparisonOf } from "../products/comparison";
import { zonesOfMap } from "../products/zonePolygons";
import { requireMap } from "./requireMap";
import { Reply, serve } from "./serve";
import type { Services } from "./services";

/** @throws AppError where there is no elevation on the grid of a map, or a date of it is gone */
async function elevationOf(services: Services, map: ChangeMap, grid: Grid): Promise<NodeSpec> {
  const { provenance, setup, studyId } = map;
  if (!provenance.scenes) {
    throw new AppError(
      409,
      "gone",
      "This map is older than the record of its scenes",
      undefined,
      "Write the map again.",
    );
  }
  const compared = await comparisonOf(services, studyId, { ...provenance.scenes, setup });
  const { elevation } = compared.nodes;
  const found = elevation && (await new Evaluator(services).info(elevation));
  if (!found || !sameGrid(found.grid, grid)) {
    throw new AppError(
      422,
      "noElevation",
      "The study has no elevation on the cells of this map",
      "elevation",
      "Bring an elevation model into Scenes, or fetch one from the archive.",
    );
  }
  return elevation;
}

/** @throws AppError where a class is asked for that the map does not have */
function requireClasses({ classes }: ImageInfo, labels: readonly number[], field: string): void {
  const unknown = labels.find((label) => !classes?.some((one) => one.label === label));
  if (unknown !== undefined) {
    throw new AppError(422, "invalid", `The map has no class ${unknown}`, field);
  }
}

/** Routes of the level and depth of floods. */
export function depthRoutes(api: Router, services: Services): void {
  const { db, engine } = services;
  serve(api, routes.measureDepth, async ({ params: { id }, body: { flooded, wet } }) => {
    const map = await db.withClient((client) => requireMap(client, id));
    const mapInfo = (await db.withClient((client) => findImage(client, map.imageId)))!.info;
    requireClasses(mapInfo, flooded, "flooded");
    requireClasses(mapInfo, wet, "wet");
    const elevation = await elevationOf(services, map, mapInfo.grid);
    const { grid } = mapInfo;
    const info: ImageInfo = {
      ...{ grid, type: "float32" },
      bands: [{ name: "depth", unit: "m", role: "value" }],
    };
    const runId = await db.withTransaction(async (client) => {
      const zones = await zonesOfMap(client, map, grid);
      const imageId = await createImage(client, info, levelCount(grid.width, grid.height));
      const { imageId: mapImageId, patchImageId, studyId, name, setup } = map;
      const of = { changeMapId: id, name, mapImageId, patchImageId, mapInfo };
      const told = { ...of, setup, zones, elevation };
      return engine.submit(client, {
        ...{ studyId, kind: "measureDepth", title: `Depth of ${name}` },
        params: { ...told, flooded, wet: [...new Set([...flooded, ...wet])], imageId, info },
      });
    });
    return new Reply(202, { runId });
  });
}
