import type { Lacking } from "@hindglance/contract/archive";
import { utcText } from "@hindglance/core/radar/orbit";
import type { SensorModel } from "@hindglance/core/radar/sensor";
import type { Archive } from "../archive/archive";
import type { ArchiveItem } from "../archive/item";
import { listOrbits } from "../db/products";
import type { Client } from "../db/pool";
import type { Scene } from "../db/scenes";
import { orbitFor, sameMission, sensorOfScene } from "../products/orbits";
import { areaOf, itemView, studyWithScenes } from "./archiveView";

/** Seconds before the first line and after the last that an orbit file must reach to. */
const AROUND_S = 30;

/** First and last moment that the orbit of a product must be known of. */
function spanOf({ firstLineT, lines, lineIntervalS }: SensorModel): { from: string; to: string } {
  return {
    from: utcText(firstLineT - AROUND_S),
    to: utcText(firstLineT + lines * lineIntervalS + AROUND_S),
  };
}

/** Orbit files of the last pass before those of days after come second. */
const isRestituted = ({ id }: ArchiveItem): number => Number(/res/i.test(id));

/** The best orbit file that the archive has for a product; null where it has none. */
async function bestOrbit(archive: Archive, sensor: SensorModel): Promise<ArchiveItem | null> {
  const span = spanOf(sensor);
  const { items } = await archive.search({ kind: "orbit", ...span, area: null, limit: 40 });
  const serving = items.filter(
    ({ platform, from, to }) =>
      (!platform || sameMission(platform, sensor.mission)) &&
      Date.parse(from) <= Date.parse(span.from) &&
      Date.parse(to) >= Date.parse(span.to),
  );
  return serving.sort((a, b) => isRestituted(a) - isRestituted(b))[0] ?? null;
}

/** What a study has that its chain goes by. */
export async function chainMaterial(client: Client, id: string) {
  return { ...(await studyWithScenes(client, id)), orbits: await listOrbits(client, id) };
}
type Material = Awaited<ReturnType<typeof chainMaterial>>;

/** Products without a precise orbit, each with the file that would serve it. */
async function lackingOrbits(
  archive: Archive,
  products: readonly Scene[],
  orbits: Material["orbits"],
): Promise<Lacking["orbits"]> {
  const out: Lacking["orbits"] = [];
  for (const scene of products) {
    const own = orbitFor(orbits, scene);
    if (own?.kind === "precise") {
      continue;
    }
    const best = await bestOrbit(archive, sensorOfScene(scene)!);
    if (best || !own) {
      const item = best && itemView(best, false);
      out.push({ sceneId: scene.id, sceneName: scene.name, item });
    }
  }
  return out;
}

/** Elevation of the place, where the study has products and no elevation; else null. */
async function lackingElevation(
  archive: Archive,
  products: readonly Scene[],
  { study, scenes }: Material,
): Promise<Lacking["elevation"]> {
  const area = areaOf(study, scenes);
  if (products.length === 0 || scenes.some(({ kind }) => kind === "elevation") || !area) {
    return null;
  }
  const ask = { kind: "elevation", from: null, to: null, area, limit: 100 } as const;
  const { items } = await archive.search(ask);
  return {
    items: items.map((tile) => itemView(tile, false)),
    bytes: items.reduce((sum, { asset }) => sum + (asset.bytes ?? 0), 0),
  };
}

/**
 * What the chain of a study lacks and the archive has: orbit files by date, and elevation where
 * there is none. @throws AppError with what is wrong with the archive
 */
export async function lackingOf(archive: Archive, material: Material): Promise<Lacking> {
  const products = material.scenes.filter((scene) => sensorOfScene(scene) !== null);
  return {
    orbits: await lackingOrbits(archive, products, material.orbits),
    elevation: await lackingElevation(archive, products, material),
    problem: null,
  };
}
