import type { SceneValues, PlaceValues } from "@hindglance/contract/pins";
import { ontoGrid } from "@hindglance/core/grid/globe";
import { fromEcef } from "@hindglance/core/geodesy/ecef";

import { ellipsoidalNode } from "@hindglance/core/chain/radar/elevation";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { BandInfo, ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node as specNode, sourceNode } from "@hindglance/core/graph/node";
import { RangeDoppler } from "@hindglance/core/radar/sensor";
import type { StoredSources } from "../eval/sources";
import type { PreviewPool } from "../preview/pool";
import type { Database } from "../db/pool";
import { type Scene, listScenes, findScene } from "../db/scenes";
import { AppError, notFound } from "../errors";
import { chainOfScene } from "./preparation";
import { type StudySides, isDate, sideNode, studySides } from "./sides";
import { isPictureFrame, isSensorFrame } from "@hindglance/core/grid/frames";

export type { SceneValues, PlaceValues } from "@hindglance/contract/pins";

/** What values of places are read with. */
interface ValueServices {
  db: Database;
  sources: StoredSources;
  previews: PreviewPool;
}

type Place = readonly [lon: number, lat: number];

/** A scene whose image is stored. */
type Stored = Scene & { imageId: string; info: ImageInfo };
const isStored = (scene: Scene): scene is Stored => scene.imageId !== null && scene.info !== null;

/** Values of a node by place and band, the mean of so many cells across. */
function read(
  { previews }: ValueServices,
  node: NodeSpec,
  { grid }: ImageInfo,
  places: readonly Place[],
  sizeCells: number,
): Promise<(number | null)[][]> {
  const onMap = ontoGrid(grid);
  return previews.values({ node, places: places.map(([x, y]) => onMap(x, y)), sizeCells });
}

/** Digital numbers that have gains are shown as the reflectance that they stand for. */
function asStored({ imageId, info }: Stored): NodeSpec {
  const source = sourceNode(imageId);
  const isNumbers = info.bands.some(({ role, gain }) => role === "dn" && gain);
  return isNumbers ? specNode("optical.reflectance", {}, source) : source;
}

/**
 * The node that a scene shows its values by: as it is compared where that can be made, else as the
 * chain leaves it, else as it is stored. Optical dates that the chain cannot finish, or that are held
 * out, still show what they can.
 *
 * @throws InputError with the reason why a radar date shows nothing
 */
async function nodeOf(sources: StoredSources, all: StudySides, scene: Stored): Promise<NodeSpec> {
  const chain = chainOfScene(all.chains, scene.id);
  const prepared = chain?.nodes.get(scene.id);
  if (chain?.family === "radar") {
    if (!prepared) {
      throw new InputError("held out of the chain");
    }
    if (prepared.error) {
      throw new InputError(prepared.error.message);
    }
  }
  if (isDate(scene) && all.align[scene.id] && !prepared?.error) {
    return (await sideNode(sources, all, scene)).node;
  }
  return prepared && !prepared.error ? prepared.result : asStored(scene);
}

const bandView = (band: BandInfo) => ({
  key: band.polarisation ?? band.name,
  name: band.name,
  unit: band.role === "power" ? "dB" : band.unit,
  role: band.role,
  ...(band.wavelengthNm ? { nm: band.wavelengthNm } : {}),
});

/** @throws InputError with the reason why the scene shows nothing at places on the Earth */
async function valuesOf(
  services: ValueServices,
  all: StudySides,
  scene: Stored,
  places: readonly Place[],
  sizeCells: number,
): Promise<Pick<SceneValues, "bands" | "classes" | "values">> {
  const { sources } = services;
  const node = await nodeOf(sources, all, scene);
  const info = node.step === "source" ? scene.info : await new Evaluator({ sources }).info(node);
  const { crs } = info.grid;
  if (isSensorFrame(crs)) {
    throw new InputError(isPictureFrame(crs) ? "has no position yet" : "lies in sensor geometry");
  }
  return {
    bands: info.bands.map(bandView),
    classes: info.classes ?? null,
    values: await read(services, node, info, places, sizeCells),
  };
}

/** The same with the scene's name and date; what cannot be read has a reason in place of values. */
async function sceneValues(
  services: ValueServices,
  all: StudySides,
  scene: Stored,
  places: readonly Place[],
  sizeCells: number,
): Promise<SceneValues> {
  const { id: sceneId, name, kind, acquiredAt } = scene;
  const base = { sceneId, name, kind, acquiredAt };
  try {
    const found = await valuesOf(services, all, scene, places, sizeCells);
    return { ...base, ...found, problem: null };
  } catch (error) {
    if (!(error instanceof InputError || error instanceof AppError)) {
      throw error;
    }
    const values = places.map(() => []);
    return { ...base, bands: [], classes: null, values, problem: error.message };
  }
}

/**
 * What every scene of a study shows at places: products as their chain makes them, all else as it
 * is stored; and the height of each place, null where there is no elevation.
 */
export async function valuesAt(
  services: ValueServices,
  studyId: string,
  places: readonly Place[],
  sizeCells: number,
): Promise<PlaceValues> {
  const all = await services.db.withClient((client) => studySides(client, studyId));
  const scenes = all.scenes.filter(isStored);
  const elevation = scenes.find(({ kind }) => kind === "elevation");
  const [found, heights] = await Promise.all([
    Promise.all(scenes.map((scene) => sceneValues(services, all, scene, places, sizeCells))),
    elevation &&
      read(
        services,
        ellipsoidalNode(elevation.imageId, elevation.info),
        elevation.info,
        places,
        sizeCells,
      ),
  ]);
  return { scenes: found, heights: places.map((_place, k) => heights?.[k]?.[0] ?? null) };
}

/**
 * The place that a line and sample of a product shows, on the study's elevation where there is one:
 * the height is looked up until it stays.
 */
export async function placeOf(
  services: ValueServices,
  sceneId: string,
  line: number,
  sample: number,
): Promise<{ lon: number; lat: number; height: number | null }> {
  const { scene, all } = await services.db.withClient(async (client) => {
    const found = await findScene(client, sceneId);
    if (!found) {
      throw notFound("scene");
    }
    return { scene: found, all: await listScenes(client, found.studyId) };
  });
  if (!scene.info?.sensor) {
    throw new AppError(422, "invalid", `${scene.name} does not lie in sensor geometry`, "scene");
  }
  const rd = new RangeDoppler(scene.info.sensor);
  const z = all.find((x) => x.kind === "elevation" && x.imageId && x.info);
  const at = (h: number) => fromEcef(rd.ground(line, sample, h));
  let height: number | null = null;
  let [lon, lat] = at(0);
  for (let k = 0; z && k < 6; k++) {
    const found: number | null =
      (
        await services.previews.values({
          node: ellipsoidalNode(z.imageId!, z.info!),
          places: [ontoGrid(z.info!.grid)(lon, lat)],
          sizeCells: 1,
        })
      )[0]![0] ?? null;
    const still = found !== null && height !== null && Math.abs(found - height) < 0.5;
    height = found;
    if (found === null || still) {
      break;
    }
    [lon, lat] = at(found);
  }
  if (!Number.isFinite(lon)) {
    throw new AppError(422, "invalid", "The beam of this cell does not meet the ground", "line");
  }
  return { lon, lat, height };
}
