import { type FileFormat, fileWords } from "@hindglance/contract/files";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { listMapFiles } from "../db/blobs";
import { type ChangeMap, findChangeMap, listChangeMaps } from "../db/changeMaps";
import { findImage } from "../db/images";
import type { Client } from "../db/pool";
import { type Scene, listScenes } from "../db/scenes";
import type { Study } from "../db/studies";
import { FILE_KINDS } from "../files/list";
import { type ItemAsset, boundsOfGrid, mapItem, projectionOf } from "../products/catalogue/mapItem";
import { footprint } from "../products/footprint";

const JSON_TYPE = "application/json";
const GEOJSON = "application/geo+json";

const isFormat = (format: string): format is FileFormat => format in FILE_KINDS;

/** Files of a map that are there, as assets. */
async function assetsOf(
  client: Client,
  map: ChangeMap,
  base: string,
): Promise<Record<string, ItemAsset>> {
  const assets: Record<string, ItemAsset> = {};
  for (const { id, name, format } of await listMapFiles(client, map.id)) {
    if (isFormat(format)) {
      assets[format] = {
        href: `${base}/files/${id}/${encodeURIComponent(name)}`,
        title: fileWords(format).name,
        media: FILE_KINDS[format].media,
        roles: format === "cog" ? ["data", "classes"] : ["data"],
        sha256: null,
      };
    }
  }
  return assets;
}

const itemLinks = (base: string, id: string) => [
  { rel: "self", href: `${base}/stac/items/${id}`, type: GEOJSON },
  { rel: "root", href: `${base}/stac`, type: JSON_TYPE },
  { rel: "parent", href: `${base}/stac`, type: JSON_TYPE },
];

/** A scene as an item: what it is, when and where; its pixels stay here. */
function sceneItem(scene: Scene, base: string) {
  const grid = scene.info!.grid;
  const at = scene.acquiredAt ? new Date(scene.acquiredAt).toISOString() : null;
  return {
    type: "Feature",
    stac_version: "1.0.0",
    stac_extensions: ["https://stac-extensions.github.io/projection/v1.1.0/schema.json"],
    id: scene.id,
    bbox: boundsOfGrid(grid),
    geometry: { type: "Polygon", coordinates: [footprint(grid)] },
    properties: {
      ...{ title: scene.name, description: `${scene.kind}, file ${scene.fileName}` },
      datetime: at ?? new Date(scene.createdAt).toISOString(),
      created: new Date(scene.createdAt).toISOString(),
      ...projectionOf(grid),
    },
    links: itemLinks(base, scene.id),
    assets: {},
  };
}

const isOnGround = ({ info }: Scene): boolean => info !== null && !isSensorFrame(info.grid.crs);

/** The catalogue of a study: its maps and its scenes. Source: STAC 1.0.0, catalog specification. */
export async function catalogue(client: Client, study: Study, base: string) {
  const maps = await listChangeMaps(client, study.id);
  const scenes = (await listScenes(client, study.id)).filter(isOnGround);
  const item = (id: string, title: string) => ({
    ...{ rel: "item", href: `${base}/stac/items/${id}`, type: GEOJSON, title },
  });
  return {
    type: "Catalog",
    stac_version: "1.0.0",
    id: study.id,
    title: study.name,
    description: `Scenes and maps of the study “${study.name}”`,
    links: [
      { rel: "self", href: `${base}/stac`, type: JSON_TYPE },
      { rel: "root", href: `${base}/stac`, type: JSON_TYPE },
      ...maps.map(({ id, name }) => item(id, name)),
      ...scenes.map(({ id, name }) => item(id, name)),
    ],
  };
}

/** An item of the catalogue of a study; null where it has none of this id. */
export async function catalogueItem(
  client: Client,
  study: string,
  id: string,
  base: string,
): Promise<object | null> {
  const map = await findChangeMap(client, id);
  const image = map?.studyId === study ? await findImage(client, map.imageId) : null;
  if (map && image) {
    return mapItem(map, image.info, await assetsOf(client, map, base), itemLinks(base, id));
  }
  const scene = (await listScenes(client, study)).find((one) => one.id === id && isOnGround(one));
  return scene ? sceneItem(scene, base) : null;
}
