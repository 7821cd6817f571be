import type { SceneValues, PlaceValues } from "@hindglance/contract/pins";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { fromEcef } from "@hindglance/core/geodesy/ecef";

import { ellipsoidalNode } from "@hindglance/core/chain/radar/elevation";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node as specNode, sourceNode } from "@hindglance/core/graph/node";
import { RangeDoppler } from "@hindglance/core/radar/sensor";
import type { StoredSources } from "../eval/sources";
import type { PreviewPool } from "../preview/pool";
import type { Database } from "../db/pool";
import { type Scene, listScenes, findScene } from "../db/scenes";
import { AppError, notFound } from "../errors";
import { chainOfScene } from "./preparation";
import { isDate, sideNode, studySides } from "./sides";
import { isPictureFrame, isSensorFrame } from "@hindglance/core/grid/frames";

export type { SceneValues, PlaceValues } from "@hindglance/contract/pins";

/** Values of one scene: by place, by band. `key` is the same for the same band of all dates. */
/** What values of places are read with. */
interface ValueServices {
  db: Database;
  sources: StoredSources;
  previews: PreviewPool;
}

type Place = readonly [lon: number, lat: number];

/**
 * What every scene of a study shows at places: products as their chain makes them, all else as it
 * is stored.
 */
export async function valuesAt(
  services: ValueServices,
  studyId: string,
  places: readonly Place[],
  sizeCells: number,
): Promise<PlaceValues> {
  const all = await services.db.withClient((client) => studySides(client, studyId));
  const scenes = all.scenes.filter((scene) => scene.imageId && scene.info);
  const { chains } = all;
  const read = (node: NodeSpec, info: ImageInfo) => {
    const pointTransform = transformer(LONLAT, info.grid.crs);
    return services.previews.values({
      node,
      places: places.map(([x, y]) => pointTransform(x, y)),
      sizeCells,
    });
  };
  const one = async (scene: Scene): Promise<SceneValues> => {
    const base = {
      sceneId: scene.id,
      name: scene.name,
      kind: scene.kind,
      acquiredAt: scene.acquiredAt,
    };
    const none = (problem: string): SceneValues => ({
      ...base,
      bands: [],
      classes: null,
      values: places.map(() => []),
      problem,
    });
    try {
      const chain = chainOfScene(chains, scene.id);
      const prepared = chain?.nodes.get(scene.id);
      const radar = chain?.family === "radar";
      const numbers =
        (!prepared || prepared.error) &&
        scene.info!.bands.some((band) => band.role === "dn" && band.gain);
      if (radar && !prepared) {
        return none("held out of the chain");
      }
      if (prepared?.error && radar) {
        return none(prepared.error.message);
      }
      // Optical dates that the chain cannot finish, or that are held out, still show what they can.
      const side =
        isDate(scene) && all.align[scene.id] && !prepared?.error
          ? await sideNode(services.sources, all, scene)
          : null;
      let node: NodeSpec;
      if (side) {
        node = side.node;
      } else if (prepared && !prepared.error) {
        node = prepared.result;
      } else if (numbers) {
        node = specNode("optical.reflectance", {}, sourceNode(scene.imageId!));
      } else {
        node = sourceNode(scene.imageId!);
      }
      const info =
        node.step === "source"
          ? scene.info!
          : await new Evaluator({ sources: services.sources }).info(node);
      if (isSensorFrame(info.grid.crs)) {
        return none(
          isPictureFrame(info.grid.crs) ? "has no position yet" : "lies in sensor geometry",
        );
      }
      return {
        ...base,
        bands: info.bands.map((band) => ({
          key: band.polarisation ?? band.name,
          name: band.name,
          unit: band.role === "power" ? "dB" : band.unit,
          role: band.role,
          ...(band.wavelengthNm ? { nm: band.wavelengthNm } : {}),
        })),
        classes: info.classes ?? null,
        values: await read(node, info),
        problem: null,
      };
    } catch (error) {
      if (error instanceof InputError || error instanceof AppError) {
        return none(error.message);
      }
      throw error;
    }
  };
  const scene = scenes.find((scene) => scene.kind === "elevation");
  const [every, heights] = await Promise.all([
    Promise.all(scenes.map(one)),
    scene ? read(ellipsoidalNode(scene.imageId!, scene.info!), scene.info!) : null,
  ]);
  return { scenes: every, heights: places.map((_p, i) => heights?.[i]?.[0] ?? null) };
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
          places: [transformer(LONLAT, z.info!.grid.crs)(lon, lat)],
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
