import type { MapConfirmed } from "@hindglance/contract/changeMaps";
import { type BinaryRow, copyIn, float4, int4, uuidBytes } from "./copy";
import type { Client } from "./pool";

/** What a second sensor says of a patch: shares of its cells, 0 to 1. */
export interface PatchConfirmed {
  number: number;
  /** Seen by it. */
  seenShare: number;
  /** Confirmed by it. */
  confirmedShare: number;
}

/** Keeps what a second sensor says of patches in place of what was kept before. */
export async function writePatchConfirmed(
  client: Client,
  map: string,
  patches: readonly PatchConfirmed[],
): Promise<void> {
  await deletePatchConfirmed(client, map);
  const id = uuidBytes(map);
  function* rows(): Generator<BinaryRow> {
    for (const { number, seenShare, confirmedShare } of patches) {
      yield [id, int4(number), float4(seenShare), float4(confirmedShare)];
    }
  }
  await copyIn(
    client,
    "patch_confirmed (change_map_id, number, seen_share, confirmed_share)",
    rows(),
  );
}

/** Forgets what a second sensor says of a map's patches. */
export const deletePatchConfirmed = async (client: Client, map: string): Promise<void> => {
  await client.query("DELETE FROM patch_confirmed WHERE change_map_id = $1", [map]);
};

/** Keeps what a second sensor says of a map; whether the map is still there. */
export async function setMapConfirmed(
  client: Client,
  map: string,
  confirmed: Omit<MapConfirmed, "countedAt">,
): Promise<boolean> {
  const { rowCount } = await client.query(
    `
      UPDATE change_map
      SET confirmed = $2::jsonb || jsonb_build_object('countedAt', now())
      WHERE id = $1
    `,
    [map, JSON.stringify(confirmed)],
  );
  return rowCount === 1;
}
