import { dateNodes } from "@hindglance/core/change/build";
import { comparingOf } from "@hindglance/core/change/comparing";
import { sameBand } from "@hindglance/core/change/setup";
import type { OtherDate } from "@hindglance/core/doubt/plan";
import { sharpened } from "@hindglance/core/chain/smoothing";
import { InputError } from "@hindglance/core/errors";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { squareNorthUp } from "@hindglance/core/grid/grid";
import type { Database } from "../db/pool";
import { findKept } from "../db/products";
import type { StoredSources } from "../eval/sources";
import type { Comparison } from "./comparison";
import type { ReadyScene } from "./families";
import { chainOfScene } from "./preparation";
import { type StudySides, isDate, rawNode, sideNode, studySides } from "./sides";

/** Other dates that patches are held against, at the most: those nearest to the pair. */
const MOST_OTHERS = 6;

/** How far a date lies from the pair, in milliseconds; null between both dates. */
function distanceFrom({ before, after }: Comparison, { acquiredAt }: ReadyScene): number | null {
  const at = Date.parse(acquiredAt ?? "");
  const [from, to] = [before, after].map((side) => Date.parse(side.acquiredAt ?? ""));
  if (at < from!) {
    return from! - at;
  }
  return at > to! ? at - to! : null;
}

/** Whether a date is stored, or what its chain makes of it is kept: else it would all be computed. */
export async function isAtHand(db: Database, all: StudySides, scene: ReadyScene): Promise<boolean> {
  if (!chainOfScene(all.chains, scene.id)) {
    return true;
  }
  const raw = rawNode(all, scene);
  const hashes = [raw, sharpened(raw)].map((spec) => nodeHash(spec, versionOf));
  return (await db.withClient((client) => findKept(client, hashes))).size > 0;
}

/** A date on the grid of a map; null where it lacks the band, or is not prepared. */
async function onMap(
  { db, sources }: { db: Database; sources: StoredSources },
  all: StudySides,
  { before, setup }: Comparison,
  scene: ReadyScene,
): Promise<NodeSpec | null> {
  try {
    if (!(await isAtHand(db, all, scene))) {
      return null;
    }
    const side = await sideNode(sources, all, scene);
    const band = sameBand(before.info.bands[setup.band]!, side.info);
    return dateNodes(side, [band], squareNorthUp(before.info.grid), setup.speckle).db;
  } catch (error) {
    if (error instanceof InputError) {
      return null;
    }
    throw error;
  }
}

/**
 * Dates of the kind of a pair before it and after it, the nearest first, as patches are held against them:
 * those that are prepared and have the band that is compared. Frames of one day count once.
 */
export async function otherDatesOf(
  services: { db: Database; sources: StoredSources },
  compared: Comparison,
): Promise<OtherDate[]> {
  const { before, after, setup } = compared;
  if (comparingOf(before.info.bands[setup.band]!) === "class") {
    return [];
  }
  const all = await services.db.withClient((client) => studySides(client, compared.study.id));
  const near = all.scenes
    .filter(isDate)
    .filter(({ id, kind }) => kind === before.kind && id !== before.id && id !== after.id)
    .flatMap((scene) => {
      const distance = distanceFrom(compared, scene);
      return distance === null ? [] : [{ scene, distance }];
    })
    .sort((a, b) => a.distance - b.distance);
  const found = new Map<string, OtherDate>();
  for (const { scene } of near) {
    const node = found.size < MOST_OTHERS ? await onMap(services, all, compared, scene) : null;
    if (node) {
      const { id: sceneId, name } = scene;
      const acquiredAt = new Date(scene.acquiredAt!).toISOString();
      const isEarlier = acquiredAt < new Date(before.acquiredAt!).toISOString();
      found.set(nodeHash(node, versionOf), { sceneId, name, acquiredAt, isEarlier, node });
    }
  }
  return [...found.values()];
}
