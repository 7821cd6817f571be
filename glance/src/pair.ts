import { basename } from "node:path";
import type { ServerClient } from "@hindglance/contract/client";
import { type RecipeRun, recipeRoutes } from "@hindglance/contract/recipes";
import { sceneRoutes } from "@hindglance/contract/scenes";
import { studyRoutes } from "@hindglance/contract/studies";
import type { Asked, AskedPair } from "./asked";
import { type Said, bringScene, send } from "./bring";
import { follow } from "./follow";
import { bringKnown } from "./known";

const KINDS = { radar: "radar", optical: "optical", none: "other" } as const;
/** Takes in what lies beside the pair: study area, zones, elevation, orbits. */
async function bringBeside(client: ServerClient, studyId: string, pair: AskedPair): Promise<void> {
  const params = { id: studyId };
  if (pair.area) {
    const { id: uploadId } = await send(client, studyId, pair.area);
    await client.call(sceneRoutes.setStudyArea, { params, body: { uploadId } });
  }
  if (pair.zones) {
    const upload = await send(client, studyId, pair.zones);
    if (!upload.imported) {
      const body = { uploadId: upload.id, name: basename(pair.zones) };
      await client.call(sceneRoutes.createZones, { params, body });
    }
  }
  if (pair.elevation) {
    const said: Said = { kind: "elevation", vertical: pair.heights };
    await bringScene(client, studyId, pair.elevation, said);
  }
  for (const orbit of pair.orbits) {
    await send(client, studyId, orbit);
  }
  for (const product of pair.beside) {
    await bringScene(client, studyId, product, { kind: "other" });
  }
}

/** Makes a map of a pair, in a study of its own. @throws Refused @throws Error */
export async function makeMap(
  client: ServerClient,
  { recipe, files }: Asked,
  pair: AskedPair,
  say: (text: string) => void,
): Promise<RecipeRun> {
  const name = (pair.name ?? `${recipe.name}: ${basename(pair.after)}`).slice(0, 120);
  const study = await client.call(studyRoutes.create, {
    body: { name, hazard: recipe.hazard, eventAt: pair.event, studyArea: null },
  });
  await bringBeside(client, study.id, pair);
  const kind = pair.isClassified ? "classes" : KINDS[recipe.family ?? "none"];
  say(`Sending ${basename(pair.before)} …`);
  const beforeId = await bringScene(client, study.id, pair.before, {
    ...{ kind, acquiredAt: pair.beforeDate },
  });
  say(`Sending ${basename(pair.after)} …`);
  const afterId = await bringScene(client, study.id, pair.after, {
    ...{ kind, acquiredAt: pair.afterDate },
  });
  if (recipe.classes && !pair.isClassified) {
    await bringKnown(client, study.id, pair, { beforeId, afterId });
  }
  const { id } = await client.call(recipeRoutes.run, {
    params: { id: study.id },
    body: { recipe, files, beforeId, afterId, name: pair.name },
  });
  return follow(client, id, say);
}
