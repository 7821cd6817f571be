import type { MapDoubt } from "@hindglance/contract/changeMaps";
import { type BinaryRow, copyIn, float4, int2, int4, uuidBytes } from "./copy";
import type { Client } from "./pool";

/** What is known of the doubt of a patch. */
export interface PatchDoubt {
  number: number;
  /** Mean probability of its cells to be of its class; null where none is known. */
  certainty: number | null;
  /** Share of its cells that lie at its edge. */
  edgeShare: number;
  earlierAlike: number;
  earlierSeen: number;
  laterAlike: number;
  laterSeen: number;
}

/** Keeps the doubt of patches in place of what was kept before. */
export async function writePatchDoubt(
  client: Client,
  map: string,
  patches: readonly PatchDoubt[],
): Promise<void> {
  await deletePatchDoubt(client, map);
  const id = uuidBytes(map);
  function* rows(): Generator<BinaryRow> {
    for (const one of patches) {
      yield [
        id,
        int4(one.number),
        one.certainty === null ? null : float4(one.certainty),
        float4(one.edgeShare),
        int2(one.earlierAlike),
        int2(one.earlierSeen),
        int2(one.laterAlike),
        int2(one.laterSeen),
      ];
    }
  }
  await copyIn(
    client,
    `patch_doubt (
      change_map_id, number, certainty, edge_share,
      earlier_alike, earlier_seen, later_alike, later_seen
    )`,
    rows(),
  );
}

/** Forgets the doubt of a map's patches. */
export const deletePatchDoubt = async (client: Client, map: string): Promise<void> => {
  await client.query("DELETE FROM patch_doubt WHERE change_map_id = $1", [map]);
};

/** Keeps the doubt of a map whose image is finished; whether the map is still there. */
export async function setMapDoubt(
  client: Client,
  map: string,
  { imageId, ...doubt }: Omit<MapDoubt, "countedAt">,
): Promise<boolean> {
  const { rowCount } = await client.query(
    `
      UPDATE change_map
      SET
        doubt_image_id = $2,
        doubt = $3::jsonb || jsonb_build_object('countedAt', now())
      WHERE id = $1
    `,
    [map, imageId, JSON.stringify(doubt)],
  );
  return rowCount === 1;
}
