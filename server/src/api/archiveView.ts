import type { Found } from "@hindglance/contract/archive";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { type MultiPolygon, multiPolygonFrom } from "@hindglance/core/vector/polygons";
import type { ArchiveItem } from "../archive/item";
import type { Client } from "../db/pool";
import { type Scene, listScenes } from "../db/scenes";
import { type Study, findStudy } from "../db/studies";
import { notFound } from "../errors";
import { footprint } from "../products/footprint";

/** A study with its scenes. @throws AppError 404 */
export async function studyWithScenes(
  client: Client,
  id: string,
): Promise<{ study: Study; scenes: Scene[] }> {
  const study = await findStudy(client, id);
  if (!study) {
    throw notFound("study");
  }
  return { study, scenes: await listScenes(client, id) };
}

/** Everything of an item that a page needs; addresses of files stay in the server. */
export const itemView = (archiveItem: ArchiveItem, have: boolean): Found => ({
  id: archiveItem.id,
  collection: archiveItem.collection,
  kind: archiveItem.kind,
  title: archiveItem.title,
  from: archiveItem.from,
  to: archiveItem.to,
  footprint: archiveItem.footprint?.[0]?.[0] ?? null,
  pass: archiveItem.pass,
  polarisations: archiveItem.polarisations,
  mode: archiveItem.mode,
  platform: archiveItem.platform,
  bytes: archiveItem.asset.bytes,
  picture: archiveItem.thumbnail !== null,
  have,
});

/** Places that must be shown: the study area, else what the scenes show. */
export function areaOf(study: Study, scenes: readonly Scene[]): MultiPolygon | null {
  if (study.studyArea) {
    return multiPolygonFrom(study.studyArea);
  }
  const rings = scenes.flatMap((scene) => {
    if (scene.detail.outline) {
      return [scene.detail.outline];
    }
    if (scene.info && !isSensorFrame(scene.info.grid.crs)) {
      return [footprint(scene.info.grid)];
    }
    return [];
  });
  return rings.length ? rings.map((ring) => [ring]) : null;
}
