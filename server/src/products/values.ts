import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { fromEcef } from "@hindglance/core/geodesy/ecef";
import { node as specNode, sourceNode } from "@hindglance/core/change/setup";
import { ellipsoidalNode } from "@hindglance/core/chain/radarChain";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { BandInfo, ClassInfo, ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { RangeDoppler, isPictureFrame, isSensorFrame } from "@hindglance/core/radar/sensor";
import type { Services } from "../api/services";
import { type Scene, listScenes } from "../db/scenes";
import { AppError, notFound } from "../errors";
import { chainOfScene } from "./prepare";
import { isDate, sideNode, studySides } from "./sides";

/** Values of one scene: by place, by band. `key` is the same for the same band of all dates. */
export interface SceneValues {
  sceneId: string;
  name: string;
  kind: string;
  acquiredAt: string | null;
  bands: { key: string; name: string; unit: string; role: BandInfo["role"]; nm?: number }[];
  classes: ClassInfo[] | null;
  values: (number | null)[][];
  problem: string | null;
}
export interface PlaceValues {
  scenes: SceneValues[];
  /** Metres above the ellipsoid, from the study's elevation. */ heights: (number | null)[];
}
type Place = readonly [lon: number, lat: number];

/**
 * What every scene of a study shows at places: products as their chain makes them, all else as it
 * is stored.
 */
export async function valuesAt(
  s: Services,
  studyId: string,
  places: readonly Place[],
  sizeCells: number,
): Promise<PlaceValues> {
  const all = await s.db.withClient((c) => studySides(c, studyId));
  const scenes = all.scenes.filter((x) => x.imageId && x.info);
  const { chains } = all;
  const read = (node: NodeSpec, info: ImageInfo) => {
    const t = transformer(LONLAT, info.grid.crs);
    return s.previews.values({ node, places: places.map(([x, y]) => t(x, y)), sizeCells });
  };
  const one = async (x: Scene): Promise<SceneValues> => {
    const base = { sceneId: x.id, name: x.name, kind: x.kind, acquiredAt: x.acquiredAt };
    const none = (problem: string): SceneValues => ({
      ...base,
      bands: [],
      classes: null,
      values: places.map(() => []),
      problem,
    });
    try {
      const chain = chainOfScene(chains, x.id);
      const prepared = chain?.nodes.get(x.id);
      const radar = chain?.family === "radar";
      const numbers = !prepared && x.info!.bands.some((b) => b.role === "dn" && b.gain);
      if (radar && !prepared) {
        return none("held out of the chain");
      }
      if (prepared?.error && radar) {
        return none(prepared.error.message);
      }
      // Optical dates that the chain cannot finish, or that are held out, still show what they can.
      const side =
        isDate(x) && all.align[x.id] && !prepared?.error ? await sideNode(s.sources, all, x) : null;
      const node = side
        ? side.node
        : prepared && !prepared.error
          ? prepared.result
          : numbers
            ? specNode("optical.reflectance", {}, sourceNode(x.imageId!))
            : sourceNode(x.imageId!);
      const info =
        node.step === "source" ? x.info! : await new Evaluator({ sources: s.sources }).info(node);
      if (isSensorFrame(info.grid.crs)) {
        return none(
          isPictureFrame(info.grid.crs) ? "has no position yet" : "lies in sensor geometry",
        );
      }
      return {
        ...base,
        bands: info.bands.map((b) => ({
          key: b.polarisation ?? b.name,
          name: b.name,
          unit: b.role === "power" ? "dB" : b.unit,
          role: b.role,
          ...(b.wavelengthNm ? { nm: b.wavelengthNm } : {}),
        })),
        classes: info.classes ?? null,
        values: await read(node, info),
        problem: null,
      };
    } catch (e) {
      if (e instanceof InputError || e instanceof AppError) {
        return none(e.message);
      }
      throw e;
    }
  };
  const z = scenes.find((x) => x.kind === "elevation");
  const [every, heights] = await Promise.all([
    Promise.all(scenes.map(one)),
    z ? read(ellipsoidalNode(z.imageId!, z.info!), z.info!) : null,
  ]);
  return { scenes: every, heights: places.map((_p, i) => heights?.[i]?.[0] ?? null) };
}

/**
 * The place that a line and sample of a product shows, on the study's elevation where there is one:
 * the height is looked up until it stays.
 */
export async function placeOf(
  s: Services,
  sceneId: string,
  line: number,
  sample: number,
): Promise<{ lon: number; lat: number; height: number | null }> {
  const { scene, all } = await s.db.withClient(async (c) => {
    const r = (
      await c.query<{ study_id: string }>("SELECT study_id FROM scene WHERE id = $1", [sceneId])
    ).rows[0];
    if (!r) {
      throw notFound("scene");
    }
    const list = await listScenes(c, r.study_id);
    return { scene: list.find((x) => x.id === sceneId)!, all: list };
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
        await s.previews.values({
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
