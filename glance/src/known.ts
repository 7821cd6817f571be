import { randomUUID } from "node:crypto";
import { readFileSync } from "node:fs";
import { basename } from "node:path";
import { changesBetween } from "@hindglance/contract/changes";
import { classifyRoutes } from "@hindglance/contract/classify";
import type { ServerClient } from "@hindglance/contract/client";
import { withImported } from "@hindglance/core/classify/importAreas";
import { type ClassifySettings, EMPTY_CLASSIFY } from "@hindglance/core/classify/settings";
import type { AskedPair } from "./asked";

/** Settings with the areas of a file, which hold for a date or for both. @throws InputError */
function withFile(
  settings: ClassifySettings,
  path: string | null,
  sceneId: string | null,
): ClassifySettings {
  if (!path) {
    return settings;
  }
  const text = readFileSync(path, "utf8");
  const as = { sceneId };
  return withImported(settings, { text, file: basename(path), newId: randomUUID, as });
}

/**
 * Settings with the areas of the files of a pair, of both dates and of each.
 * @throws InputError naming the file and what it lacks
 */
export function withKnown(
  settings: ClassifySettings,
  known: AskedPair["known"],
  dates: { beforeId: string; afterId: string },
): ClassifySettings {
  const shared = withFile(settings, known.both, null);
  const before = withFile(shared, known.before, dates.beforeId);
  return withFile(before, known.after, dates.afterId);
}

/** The id of a model that is taken into the study; null where none is given. */
async function modelOf(
  client: ServerClient,
  studyId: string,
  path: string | null,
): Promise<string | null> {
  if (!path) {
    return null;
  }
  const body = { name: basename(path).slice(0, 120), text: readFileSync(path, "utf8") };
  return (await client.call(classifyRoutes.importModel, { params: { id: studyId }, body })).id;
}

/**
 * Tells a study what its dates are classified by: areas of known cover, or a trained model.
 * @throws InputError naming the file and what it lacks @throws Refused
 */
export async function bringKnown(
  client: ServerClient,
  studyId: string,
  { known, model }: AskedPair,
  dates: { beforeId: string; afterId: string },
): Promise<void> {
  const params = { id: studyId };
  const { settings } = await client.call(classifyRoutes.find, { params });
  const own = settings ?? EMPTY_CLASSIFY;
  const areas = withKnown(own, known, dates);
  const next = { ...areas, model: await modelOf(client, studyId, model) };
  // A study without settings is given all of them.
  const changes = settings
    ? changesBetween(settings, next)
    : [{ op: "replace" as const, path: "", value: next }];
  await client.call(classifyRoutes.change, { params, body: { changes } });
}
