import type { Exposure } from "@hindglance/contract/exposure";
import type { Client } from "./pool";

/** What was counted last under the classes of a map; null where nothing was. */
export const findExposure = async (client: Client, map: string): Promise<Exposure | null> =>
  (
    await client.query<{ exposure: Exposure | null }>(
      "SELECT exposure FROM change_map WHERE id = $1",
      [map],
    )
  ).rows[0]?.exposure ?? null;

/** Keeps what was counted in place of what was before; whether the map is still there. */
export const setExposure = async (
  client: Client,
  map: string,
  exposure: Exposure,
): Promise<boolean> =>
  ((
    await client.query("UPDATE change_map SET exposure = $2 WHERE id = $1", [
      map,
      JSON.stringify(exposure),
    ])
  ).rowCount ?? 0) > 0;
