import { randomUUID } from "node:crypto";
import type { Router } from "express";
import { type AgainAsk, type EditsAsk, againRoutes as routes } from "@hindglance/contract/again";
import { type Account, accountFrom } from "@hindglance/core/again/account";
import { placesIn, renamer, unpackIn, unpackNodes } from "@hindglance/core/again/graph";
import { modelFrom } from "@hindglance/core/classify/modelText";
import { InputError } from "@hindglance/core/errors";
import type { MadeFrom } from "@hindglance/core/doubt/plan";
import type { RecordedEdits } from "@hindglance/core/edit/recorded";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import { type NodeSpec, isNodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { levelCount } from "@hindglance/core/grid/grid";
import type { ChangeMap, Provenance } from "../db/changeMaps";
import { saveModel } from "../db/classification";
import { addAct, listEditActs, lockEdits, setNextNumber } from "../db/edits";
import { createImage, findImage } from "../db/images";
import type { Client } from "../db/pool";
import { listScenes } from "../db/scenes";
import { addToLedger } from "../db/studies";
import { AppError } from "../errors";
import { computedScene } from "../products/computedScene";
import { firstNumberOf, rowsOf, sizingOn } from "../products/editing";
import type { PrepareItem } from "../products/plans";
import type { ZonePolygons } from "../products/zonePolygons";
import { requireMap } from "./requireMap";
import { Reply, serve } from "./serve";
import type { Services } from "./services";

/** An account as it can be worked with. */
interface Opened {
  account: Account;
  /** A value of the account with nodes over images of this study, and its scenes in the place of those of then. */
  read(value: unknown): unknown;
}

/** Images of scenes by what they hold. @throws AppError where one is not in the study, or not ready */
async function imagesOf(
  client: Client,
  studyId: string,
  scenes: Record<string, string>,
): Promise<Map<string, string>> {
  const all = await listScenes(client, studyId);
  return new Map(
    Object.entries(scenes).map(([content, id]) => {
      const scene = all.find((one) => one.id === id);
      if (!scene?.imageId) {
        throw new AppError(422, "invalid", "A scene is not in the study, or not ready", "scenes");
      }
      return [content, scene.imageId];
    }),
  );
}

/** Ids of scenes of then by those of now. */
function sceneNames({ account, scenes }: { account: Account; scenes: AgainAsk["scenes"] }) {
  return new Map(
    account.sources.flatMap(({ content, sceneId }) =>
      scenes[content] ? [[sceneId, scenes[content]] as const] : [],
    ),
  );
}

/** A value in which texts that are ids of then are those of now. */
function renamed(value: unknown, names: ReadonlyMap<string, string>): unknown {
  const told: unknown = JSON.parse(
    JSON.stringify(value, (_key, own: unknown) =>
      typeof own === "string" ? (names.get(own) ?? own) : own,
    ),
  );
  return told;
}

/**
 * Opens an account over the scenes of a study.
 * @throws InputError where it is none, or a step of it is not computed as it was
 */
async function opened({ db }: Services, studyId: string, asked: AgainAsk): Promise<Opened> {
  const account = accountFrom(asked.account);
  const images = await db.withClient((client) => imagesOf(client, studyId, asked.scenes));
  const rename = renamer((content) => {
    const image = images.get(content);
    if (!image) {
      throw new InputError("A scene that the map was made from is not told", "scenes");
    }
    return image;
  });
  // What is not asked for may come from scenes that are not there yet.
  const packed = placesIn(unpackNodes(account.nodes));
  const names = sceneNames({ account, scenes: asked.scenes });
  const nodeAt = (place: number) => rename(packed(place));
  return { account, read: (value) => unpackIn(renamed(value, names), nodeAt) };
}

/** @throws InputError where what is read is no node */
function nodeIn(value: unknown): NodeSpec {
  if (!isNodeSpec(value)) {
    throw new InputError("A node is told that is not there", "nodes");
  }
  return value;
}

/** Keeps the trained models of an account in the study. */
async function bringModels(client: Client, studyId: string, { models }: Account): Promise<void> {
  for (const { id, text } of models) {
    const kept = await saveModel(client, studyId, modelFrom(text));
    if (kept !== id) {
      throw new InputError("A trained model is not what its name says", "models");
    }
  }
}

/** What of a map was recorded: what its doubt and its second sensor are asked from. */
const madeFromIn = (value: unknown): value is Omit<MadeFrom, "stages"> =>
  typeof value === "object" && value !== null && "gated" in value && isNodeSpec(value.gated);

const provenanceIn = (value: unknown): value is Provenance =>
  typeof value === "object" && value !== null && "before" in value && "after" in value;

const zonesIn = (value: unknown): value is ZonePolygons =>
  Array.isArray(value) &&
  value.every(
    (one: unknown) =>
      typeof one === "object" && one !== null && "polygons" in one && Array.isArray(one.polygons),
  );

/** Begins the run that writes a map as it was written then; the id of the run. */
async function writeAgain(services: Services, studyId: string, asked: AgainAsk): Promise<string> {
  const { db, engine, sources } = services;
  const { account, read } = await opened(services, studyId, asked);
  const { map } = account;
  const stages = nodeIn(read(map.stages));
  const made = read(map.madeFrom);
  const provenance = renamed(map.provenance, sceneNames({ account, scenes: asked.scenes }));
  const { zones } = map;
  if (!madeFromIn(made) || !provenanceIn(provenance) || !zonesIn(zones)) {
    throw new InputError("The account does not tell all of its map", "map");
  }
  const evaluator = new Evaluator({ sources });
  await db.withTransaction((client) => bringModels(client, studyId, account));
  const stagesInfo = await evaluator.info(stages);
  const last = stages.inputs.at(-1) ?? stages;
  const info = await evaluator.info(last);
  const { width, height } = info.grid;
  const nodeHashNow = nodeHash(last, versionOf);
  return db.withTransaction(async (client) => {
    const imageId = await createImage(client, info, levelCount(width, height));
    await addToLedger(client, studyId, "Map made again", { name: map.name, then: account.program });
    return engine.submit(client, {
      studyId,
      kind: "writeChangeMap",
      title: `Write ${map.name}`,
      params: {
        ...{ changeMapId: randomUUID(), imageId, name: map.name, info, zones },
        ...{ node: stages, stages: stagesInfo, nodeHash: nodeHashNow },
        ...{ gated: made.gated, doubt: made.doubt, second: made.second ?? null },
        setup: renamed(map.setup, sceneNames({ account, scenes: asked.scenes })),
        provenance: { ...provenance, writtenAt: new Date().toISOString(), nodeHash: nodeHashNow },
      },
    });
  });
}

/** Begins the run that computes what was kept then; the id of the run, null where nothing was. */
async function keepAgain(
  services: Services,
  studyId: string,
  asked: AgainAsk,
): Promise<string | null> {
  const { db, engine, sources } = services;
  const { account, read } = await opened(services, studyId, asked);
  const evaluator = new Evaluator({ sources });
  const found = account.kept.filter(({ content }) => asked.scenes[content]);
  const specs = found.map(({ node }) => nodeIn(read(node)));
  const infos = await Promise.all(specs.map((spec) => evaluator.info(spec)));
  if (found.length === 0) {
    return null;
  }
  return db.withTransaction(async (client) => {
    await bringModels(client, studyId, account);
    const names = new Map((await listScenes(client, studyId)).map(({ id, name }) => [id, name]));
    const items: PrepareItem[] = [];
    for (const [k, { content, step, steps }] of found.entries()) {
      const [node, info] = [specs[k]!, infos[k]!];
      const { width, height } = info.grid;
      const imageId = await createImage(client, info, levelCount(width, height));
      const sceneId = asked.scenes[content]!;
      const hash = nodeHash(node, versionOf);
      const sceneName = names.get(sceneId) ?? "";
      items.push({ sceneId, sceneName, step, steps, hash, node, info, imageId });
    }
    const title = `Prepare what ${account.map.name} was made from`;
    return engine.submit(client, { studyId, kind: "prepareDates", title, params: { items } });
  });
}

/**
 * Does recorded acts on a map, one after the other; the last of them.
 * @throws AppError where a patch of another number than edits of this map have is told
 */
async function actAgain(
  client: Client,
  map: ChangeMap,
  { acts, nextNumber }: RecordedEdits,
): Promise<number> {
  const { info } = (await findImage(client, map.imageId))!;
  const sizing = await sizingOn(client, map, info);
  const first = firstNumberOf(map);
  let head: number | null = null;
  for (const { kind, editor, gone, made } of acts) {
    if (made.some(({ number }) => number < first)) {
      throw new AppError(422, "invalid", "The edits are those of another map", "account");
    }
    const act = { parent: head, key: randomUUID(), kind, editor, gone };
    const rows = made.flatMap((patch) =>
      rowsOf({ gone, made: [patch] }, patch.number, sizing, info),
    );
    head = await addAct(client, map.id, act, rows);
  }
  if (head === null) {
    throw new AppError(422, "invalid", "The account tells no edits", "account");
  }
  await setNextNumber(client, map.id, nextNumber);
  return head;
}

/** Does the edits of an account on a map that has none. @throws AppError */
const editAgain = (services: Services, id: string, { account: told, stage }: EditsAsk) =>
  services.db.withTransaction(async (client) => {
    const edits = accountFrom(told).map.edits?.[stage];
    if (!edits) {
      throw new AppError(422, "invalid", "The account tells no such edits", "stage");
    }
    const map = await requireMap(client, id);
    await lockEdits(client, id, firstNumberOf(map));
    if ((await listEditActs(client, id)).length > 0) {
      throw new AppError(409, "alreadyThere", "This map has edits already", "id");
    }
    return { head: await actAgain(client, map, edits) };
  });

/** Routes by which a map is made again from its account. */
export function againRoutes(api: Router, services: Services): void {
  const { db, engine, sources } = services;
  serve(api, routes.scene, async ({ params, body }) => {
    const { account, read } = await opened(services, params.id, body);
    const source = account.sources.find(({ content }) => content === body.content);
    if (source?.origin.kind !== "made") {
      throw new InputError("The account tells of no such scene that was computed", "content");
    }
    const { sceneKind: kind, name, acquiredAt, what, node } = source.origin;
    const spec = nodeIn(read(node));
    const { scene, runId } = await db.withTransaction(async (client) => {
      await bringModels(client, params.id, account);
      return computedScene(
        { sources: sources.within(client) },
        (run) => engine.submit(client, run),
        client,
        { studyId: params.id, ...{ kind, name, acquiredAt, what, node: spec }, detail: {} },
      );
    });
    return new Reply(202, { sceneId: scene.id, runId });
  });
  serve(
    api,
    routes.keep,
    async ({ params, body }) =>
      new Reply(202, { runId: await keepAgain(services, params.id, body) }),
  );
  serve(api, routes.edits, ({ params, body }) => editAgain(services, params.id, body));
  serve(
    api,
    routes.map,
    async ({ params, body }) =>
      new Reply(202, { runId: await writeAgain(services, params.id, body) }),
  );
}
