import { type FirstMapAsk, firstMapAsk } from "@hindglance/core/change/firstMap/sampling";
import { comparingOf } from "@hindglance/core/change/comparing";
import { type ChangeSide, sameBand } from "@hindglance/core/change/setup";
import { isSharp } from "@hindglance/core/change/speckle";
import { sharpened } from "@hindglance/core/chain/smoothing";
import { InputError } from "@hindglance/core/errors";
import { nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import type { Database } from "../db/pool";
import { findKept } from "../db/products";
import type { Scene } from "../db/scenes";
import type { StoredSources } from "../eval/sources";
import { type Comparison, otherDates } from "./comparison";
import { isDate, studySides } from "./sides";

/** Earlier dates that are asked at the most: the nearest in time. */
const MOST_DATES = 3;

/** Scenes before the pair's first date and before the event, the nearest first, of the same pass. */
function earlier({ before, study }: Comparison, scenes: readonly Scene[]): Scene[] {
  const passOf = ({ detail }: Scene) => detail.pass ?? detail.items?.PASS ?? null;
  const event = study.eventAt ? Date.parse(study.eventAt) : Infinity;
  const time = ({ acquiredAt }: Scene) => (acquiredAt ? Date.parse(acquiredAt) : NaN);
  return scenes
    .filter(
      (scene) =>
        isDate(scene) &&
        scene.kind === before.kind &&
        time(scene) < Math.min(event, time(before)) &&
        passOf(scene) === passOf(before),
    )
    .sort((a, b) => time(b) - time(a));
}

/**
 * What the first map of a pair is asked with. Earlier dates tell what was water anyway; those whose
 * chain was not run, or that lack the band, are left out.
 * @throws InputError where the pair cannot be compared
 */
export async function askForFirstMap(
  { db, sources }: { db: Database; sources: StoredSources },
  compared: Comparison,
): Promise<FirstMapAsk> {
  const { study, inputs, setup } = compared;
  const band = inputs.before.info.bands[setup.band];
  if (!band || comparingOf(band) !== "power") {
    return firstMapAsk(inputs, setup);
  }
  const all = await db.withClient((client) => studySides(client, study.id));
  const ids = earlier(compared, all.scenes).map((scene) => scene.id);
  const sides = await otherDates(sources, all, ids);
  const hashOf = ({ node }: ChangeSide): string =>
    nodeHash(isSharp(setup.speckle) ? sharpened(node) : node, versionOf);
  const hashes = ids.flatMap((id) => {
    const side = sides[id];
    return side && side.node.step !== "source" ? [hashOf(side)] : [];
  });
  const kept = await db.withClient((client) => findKept(client, hashes));
  const serves = (id: string): boolean => {
    const side = sides[id];
    if (!side || (side.node.step !== "source" && !kept.has(hashOf(side)))) {
      return false;
    }
    try {
      sameBand(band, side.info);
      return true;
    } catch (error) {
      if (error instanceof InputError) {
        return false;
      }
      throw error;
    }
  };
  const others = ids.filter(serves).slice(0, MOST_DATES);
  return firstMapAsk({ ...inputs, others: sides }, setup, others);
}
