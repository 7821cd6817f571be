import type { AskedSecond, MadeFrom } from "@hindglance/core/doubt/plan";
import { InputError } from "@hindglance/core/errors";
import { nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { type ChangeMap, findMadeFrom } from "../db/changeMaps";
import type { Database } from "../db/pool";
import { AppError } from "../errors";
import type { StoredSources } from "../eval/sources";
import { type Comparison, comparisonOf } from "./comparison";
import { otherDatesOf } from "./otherDates";

/** What the second sensor of a comparison is asked, with its layer; null where nothing is. */
function askedOf({ nodes, setup }: Comparison): AskedSecond | null {
  const confirms = setup.second?.confirms;
  const layer = nodes.layers.find(({ name }) => name === confirms?.layer);
  return confirms && layer ? { confirms, node: layer.node } : null;
}

/** What a map of a comparison is made from. */
export async function madeFromOf(
  services: { db: Database; sources: StoredSources },
  compared: Comparison,
): Promise<MadeFrom> {
  const { doubtFrom, before, after, gated } = compared.nodes;
  const others = doubtFrom ? await otherDatesOf(services, compared) : [];
  return {
    gated,
    doubt: doubtFrom && { from: doubtFrom, pair: { before, after }, others },
    second: askedOf(compared),
  };
}

/**
 * What a map was made from: as it is recorded, or for a map that is older than the record, as long as
 * its dates still give the same map. Null where nobody knows.
 */
export async function madeFromOfMap(
  services: Parameters<typeof comparisonOf>[0],
  map: ChangeMap,
): Promise<MadeFrom | null> {
  const recorded = await services.db.withClient((client) => findMadeFrom(client, map.id));
  const { scenes } = map.provenance;
  if (recorded || !scenes) {
    return recorded;
  }
  try {
    const compared = await comparisonOf(services, map.studyId, { ...scenes, setup: map.setup });
    const isSame = nodeHash(compared.nodes.classes, versionOf) === map.nodeHash;
    return isSame ? await madeFromOf(services, compared) : null;
  } catch (error) {
    if (error instanceof InputError || error instanceof AppError) {
      return null;
    }
    throw error;
  }
}
