import { randomUUID } from "node:crypto";
import { mkdirSync, openAsBlob, readFileSync, writeFileSync } from "node:fs";
import { basename, join } from "node:path";
import { againRoutes } from "@hindglance/contract/again";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import type { ServerClient } from "@hindglance/contract/client";
import { editRoutes } from "@hindglance/contract/edits";
import { runRoutes } from "@hindglance/contract/runs";
import { sceneRoutes } from "@hindglance/contract/scenes";
import { studyRoutes } from "@hindglance/contract/studies";
import { uploadRoutes } from "@hindglance/contract/upload";
import {
  type Account,
  type AccountSource,
  type FromFiles,
  type FromParts,
  accountFrom,
  filesOf,
  resultDifferences,
} from "@hindglance/core/again/account";
import type { AskedAgain } from "./askedAgain";
import { fetchFile } from "./deliver";
import { type Held, type HeldFile, heldAgainst } from "./compared";
import { findFiles } from "./inputs";
import { EXIT } from "./usage";

type Say = (text: string) => void;
const LOOK_MS = 300;

/** Waits for the end of a run. @throws Error with what went wrong in it */
async function ended(client: ServerClient, id: string): Promise<Record<string, string>> {
  for (;;) {
    const run = await client.call(runRoutes.find, { params: { id } });
    if (run.state === "done") {
      return run.result ?? {};
    }
    if (run.state !== "running") {
      throw new Error(`${run.title}: ${run.error?.message ?? run.state}`);
    }
    await new Promise((ok) => setTimeout(ok, LOOK_MS));
  }
}

/** Waits until nothing goes on in a study: what is counted of a map follows it. */
async function quiet(client: ServerClient, study: string): Promise<void> {
  const isBusy = async () =>
    (await client.call(runRoutes.list, { query: { study } })).some(
      ({ state }) => state === "running",
    );
  while (await isBusy()) {
    await new Promise((ok) => setTimeout(ok, LOOK_MS));
  }
}

/** Sends the files of a scene, in a folder where they lay in one; the id of the upload. */
async function sendFiles(
  client: ServerClient,
  studyId: string,
  { files, isFolder }: FromFiles,
  places: ReadonlyMap<string, string>,
): Promise<string> {
  const folder = isFolder ? randomUUID() : null;
  const params = { id: studyId };
  let last = "";
  for (const { path, sha256 } of files) {
    const query = {
      ...{ name: basename(path), take: false },
      ...(folder ? { folder, path } : {}),
    };
    const sent = await client.send(
      uploadRoutes.send,
      { params, query },
      await openAsBlob(places.get(sha256)!),
    );
    last = sent.id;
  }
  if (!folder) {
    return last;
  }
  const query = { take: false };
  return (await client.call(uploadRoutes.gather, { params: { id: studyId, folder }, query })).id;
}

/** Takes a scene in as it was taken in then; its id. */
async function bringFiles(
  client: ServerClient,
  studyId: string,
  origin: FromFiles,
  places: ReadonlyMap<string, string>,
): Promise<string> {
  await client.call(studyRoutes.update, {
    params: { id: studyId },
    body: { studyArea: origin.studyArea },
  });
  const uploadId = await sendFiles(client, studyId, origin, places);
  const { name, sceneKind, said, vertical } = origin;
  const { scene, runId } = await client.call(sceneRoutes.create, {
    params: { id: studyId },
    body: { ...said, name: name.slice(0, 120), kind: sceneKind, uploadId },
  });
  await ended(client, runId);
  const now = (await client.call(sceneRoutes.list, { params: { id: studyId } })).find(
    ({ id }) => id === scene.id,
  );
  if (vertical && now?.info?.bands[0]?.vertical !== vertical) {
    await client.call(sceneRoutes.update, {
      params: { id: scene.id },
      body: { vertical },
    });
  }
  return scene.id;
}

/** Takes the parts of a scene in, and joins them as they were joined then; its id. */
async function bringJoined(
  client: ServerClient,
  studyId: string,
  { name, parts }: FromParts,
  places: ReadonlyMap<string, string>,
): Promise<string> {
  const sceneIds: string[] = [];
  for (const part of parts) {
    sceneIds.push(await bringFiles(client, studyId, part, places));
  }
  const body = { sceneIds, name: name.slice(0, 120) };
  const joined = await client.call(sceneRoutes.join, { params: { id: studyId }, body });
  await ended(client, joined.runId);
  return joined.scene.id;
}

/** Has a source of the account in the study; the id of its scene. */
async function bring(
  client: ServerClient,
  studyId: string,
  told: { account: Account; scenes: Record<string, string>; places: ReadonlyMap<string, string> },
  { content, origin }: AccountSource,
): Promise<string> {
  if (origin.kind === "files") {
    return bringFiles(client, studyId, origin, told.places);
  }
  if (origin.kind === "joined") {
    return bringJoined(client, studyId, origin, told.places);
  }
  const { account, scenes } = told;
  const made = await client.call(againRoutes.scene, {
    params: { id: studyId },
    body: { account, scenes, content },
  });
  await ended(client, made.runId);
  return made.sceneId;
}

/** Makes a file of a map and writes it into a folder; its place. */
async function fileOf(
  client: ServerClient,
  map: string,
  format: AskedAgain["files"][number],
  folder: string,
): Promise<string> {
  const { runId } = await client.call(changeMapRoutes.makeFile, {
    params: { id: map },
    body: { format },
  });
  const { blobId, fileName } = await ended(client, runId);
  const path = join(folder, fileName!);
  await fetchFile(client, blobId!, path);
  return path;
}

const readAccount = (path: string): Account => accountFrom(JSON.parse(readFileSync(path, "utf8")));

/** Brings all sources in, and writes the map; its id. */
async function madeAgain(
  client: ServerClient,
  account: Account,
  inputs: string,
  say: Say,
): Promise<{ studyId: string; mapId: string }> {
  const wanted = account.sources.flatMap(({ origin }) => filesOf(origin));
  const places = await findFiles(inputs, wanted);
  const { name, hazard, eventAt, studyArea } = account.study;
  const study = await client.call(studyRoutes.create, {
    body: { name, hazard, eventAt, studyArea: null },
  });
  const scenes: Record<string, string> = {};
  for (const source of account.sources) {
    say(`${source.origin.name} …`);
    scenes[source.content] = await bring(client, study.id, { account, scenes, places }, source);
  }
  await client.call(studyRoutes.update, {
    params: { id: study.id },
    body: { studyArea },
  });
  say("Preparing …");
  const keeping = await client.call(againRoutes.keep, {
    params: { id: study.id },
    body: { account, scenes },
  });
  if (keeping.runId) {
    await ended(client, keeping.runId);
  }
  say(`Writing ${account.map.name} …`);
  const { runId } = await client.call(againRoutes.map, {
    params: { id: study.id },
    body: { account, scenes },
  });
  const { changeMapId } = await ended(client, runId);
  const mapId = await editedAgain(client, account, changeMapId!, say);
  await quiet(client, study.id);
  return { studyId: study.id, mapId };
}

/** Edits a map as it was edited by hand then, from map to map; the id of the last one. */
async function editedAgain(
  client: ServerClient,
  account: Account,
  first: string,
  say: Say,
): Promise<string> {
  let id = first;
  for (const [stage, { name, acts }] of (account.map.edits ?? []).entries()) {
    say(`Editing it into ${name}: ${acts.length} ${acts.length === 1 ? "act" : "acts"} …`);
    await client.call(againRoutes.edits, { params: { id }, body: { account, stage } });
    const { runId } = await client.call(editRoutes.write, { params: { id }, body: { name } });
    id = (await ended(client, runId)).changeMapId!;
  }
  return id;
}

/**
 * Makes a map again from its account and its files, and holds what came out against what came out then.
 * @returns how it ended, as scripts read it
 */
export async function makeAgain(
  client: ServerClient,
  { accounts, inputs, out, files, compare }: AskedAgain,
  say: Say,
): Promise<number> {
  let worst: number = EXIT.done;
  for (const path of accounts) {
    const account = readAccount(path);
    const folder = accounts.length > 1 ? join(out, basename(path, ".account.json")) : out;
    mkdirSync(folder, { recursive: true });
    const { mapId } = await madeAgain(client, account, inputs, say);
    const made: string[] = [];
    for (const format of files) {
      made.push(await fileOf(client, mapId, format, folder));
    }
    const held = compare === null ? [] : await heldAgainst(compare, made);
    const found = readAccount(await fileOf(client, mapId, "account", folder));
    const differences = [
      ...sourceDifferences(account, found),
      ...resultDifferences(account.result, found.result),
      ...held.filter((one) => one.held === "other").map(({ file }) => `${file} has other bytes.`),
    ];
    const isSame = differences.length === 0;
    const told = { account: basename(path), isSame, differences, files: held };
    writeFileSync(join(folder, "again.json"), `${JSON.stringify(told, null, 2)}\n`);
    held.forEach((one) => say(heldSaid(one)));
    if (!isSame) {
      worst = EXIT.differs;
      differences.forEach(say);
    } else {
      say(`${lastName(account)}: the same to the last bit, ${account.result.identity}.`);
    }
  }
  return worst;
}

/** What the map is called that an account ends with. */
const lastName = ({ map }: Account): string => map.edits?.at(-1)?.name ?? map.name;

/** Scenes that did not come out as they were. */
function sourceDifferences(wanted: Account, found: Account): string[] {
  const there = new Set(found.sources.map(({ content }) => content));
  return wanted.sources
    .filter(({ content }) => !there.has(content))
    .map(({ origin }) => `${origin.name} does not hold the cells that it held then.`);
}

const HELD: Record<Held, string> = {
  same: "the same bytes as then",
  sameButForIds: "the same bytes as then, but for ids of the database and the time of writing",
  other: "other bytes than then",
  absent: "not among the files of then",
};

/** How a file came out beside the one that was handed over then. */
const heldSaid = ({ file, held }: HeldFile): string => `${file}: ${HELD[held]}`;
