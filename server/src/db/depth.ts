import type { MapDepth } from "@hindglance/contract/changeMaps";
import { type BinaryRow, copyIn, float4, int4, uuidBytes } from "./copy";
import type { Client } from "./pool";

/** Water over a patch: means over its cells, metres. */
export interface PatchDepth {
  number: number;
  level: number;
  /** How far heights along the shores disagree. */
  spread: number;
  depth: number;
}

/** Keeps the depth of patches in place of what was kept before. */
export async function writePatchDepth(
  client: Client,
  map: string,
  patches: readonly PatchDepth[],
): Promise<void> {
  await deletePatchDepth(client, map);
  const id = uuidBytes(map);
  function* rows(): Generator<BinaryRow> {
    for (const { number, level, spread, depth } of patches) {
      yield [id, int4(number), float4(level), float4(spread), float4(depth)];
    }
  }
  await copyIn(client, "patch_depth (change_map_id, number, level, spread, depth)", rows());
}

/** Forgets the depth of a map's patches. */
export const deletePatchDepth = async (client: Client, map: string): Promise<void> => {
  await client.query("DELETE FROM patch_depth WHERE change_map_id = $1", [map]);
};

/** Keeps the depth of a map in place of an earlier one; whether the map is still there. */
export async function setMapDepth(
  client: Client,
  map: string,
  { imageId, ...depth }: Omit<MapDepth, "countedAt">,
): Promise<boolean> {
  const { rows } = await client.query<{ old: string | null }>(
    "SELECT depth_image_id AS old FROM change_map WHERE id = $1 FOR UPDATE",
    [map],
  );
  if (!rows[0]) {
    return false;
  }
  await client.query(
    `
      UPDATE change_map
      SET
        depth_image_id = $2,
        depth = $3::jsonb || jsonb_build_object('countedAt', now())
      WHERE id = $1
    `,
    [map, imageId, JSON.stringify(depth)],
  );
  await client.query("DELETE FROM image WHERE id = $1", [rows[0].old]);
  return true;
}
