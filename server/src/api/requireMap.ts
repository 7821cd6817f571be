import { type ChangeMap, findChangeMap } from "../db/changeMaps";
import type { Client } from "../db/pool";
import { notFound } from "../errors";

/** A change map. @throws AppError 404 where there is none of that id */
export async function requireMap(client: Client, id: string): Promise<ChangeMap> {
  const changeMap = await findChangeMap(client, id);
  if (!changeMap) {
    throw notFound("change map");
  }
  return changeMap;
}
