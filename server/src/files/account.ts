import { createHash } from "node:crypto";
import {
  ACCOUNT_FORMAT,
  type Account,
  type AccountResult,
  type AccountSource,
  type FromFiles,
} from "@hindglance/core/again/account";
import { GraphPacker, renamer } from "@hindglance/core/again/graph";
import type { MadeFrom } from "@hindglance/core/doubt/plan";
import { type NodeSpec, imagesOf, isNodeSpec, nodeHash, walk } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import type { VerticalDatum } from "@hindglance/core/graph/image";
import { findMadeFrom } from "../db/changeMaps";
import { findModelText } from "../db/classification";
import { contentOf } from "../db/contents";
import { findImage } from "../db/images";
import {
  type FileOrigin,
  type OriginOfImage,
  type SceneOrigin,
  originOfImage,
} from "../db/origins";
import { keptBy } from "../db/products";
import { findStudy } from "../db/studies";
import { zonesOfMap } from "../products/zonePolygons";
import type { FileKind, FileSource } from "./kind";
import { patchesOf } from "./patches";

/** An image that a map was made from, and the scene that it is of. */
type Found = OriginOfImage & { image: string; origin: SceneOrigin };

/** Images that nodes come from. */
const imagesIn = (nodes: readonly NodeSpec[]): Set<string> => new Set(nodes.flatMap(imagesOf));

/** Trained models that nodes are computed with. */
function modelsIn(nodes: readonly NodeSpec[]): Set<string> {
  const models = new Set<string>();
  for (const one of nodes) {
    walk(one, ({ step, params }) => {
      if (step === "classify.apply") {
        models.add(String(params.model));
      }
    });
  }
  return models;
}

/** Every node of what a map was made from. */
function nodesOf({ stages, gated, doubt, second }: MadeFrom): NodeSpec[] {
  const looked = doubt?.from.kind === "dates" ? [doubt.from.before, doubt.from.after] : [];
  return [
    ...[stages, gated].filter((one) => one !== undefined),
    ...(doubt?.from.kind === "cells" ? [doubt.from.values] : []),
    ...looked.flatMap(({ labels, values }) => [labels, values]),
    ...(doubt ? [doubt.pair.before, doubt.pair.after] : []),
    ...(doubt?.others.map(({ node }) => node) ?? []),
    ...(second ? [second.node] : []),
  ];
}

/**
 * Scenes that nodes come from, those that others are computed from first.
 * @throws Error naming what cannot be had again
 */
async function scenesOf(
  { db }: Pick<FileSource, "db">,
  nodes: readonly NodeSpec[],
  known = new Map<string, Found>(),
): Promise<Map<string, Found>> {
  for (const image of imagesIn(nodes)) {
    if (known.has(image)) {
      continue;
    }
    const found = await db.withClient((client) => originOfImage(client, image));
    if (!found) {
      throw new Error("A scene that this map was made from is not in the study any more");
    }
    const { origin } = found;
    if (!origin) {
      throw new Error(
        `${found.name} was taken in before it was kept where scenes come from: import it anew and write the map again`,
      );
    }
    if (origin.kind === "made") {
      await scenesOf({ db }, [origin.node], known);
    }
    known.set(image, { ...found, image, origin });
  }
  return known;
}

/** Maps that a map was edited from by hand, the first last. */
function editedFrom({ provenance }: FileSource["map"]): string[] {
  const names: string[] = [];
  for (let told = provenance.edited; told; told = told.before) {
    names.push(told.from);
  }
  return names;
}

/** What is recorded of a map, or why it cannot be made again. */
async function recorded({ db, map }: Pick<FileSource, "db" | "map">): Promise<MadeFrom | string> {
  const made = await db.withClient((client) => findMadeFrom(client, map.id));
  if (!made?.stages) {
    return "This map was written before it was kept how maps are made again: write it anew in Compare";
  }
  return (made.edits ?? []).length === editedFrom(map).length
    ? made
    : "This map was edited before edits were kept in it: open the map that it was edited from, and write its edits anew";
}

const aboutTime = (time: Date | null): string | null => time && new Date(time).toISOString();

/** A scene out of files as an account tells it. */
const fromFiles = (
  { sceneKind, name, files, isFolder, said, studyArea }: FileOrigin & { name: string },
  vertical: VerticalDatum | null,
): FromFiles => ({
  ...{ kind: "files", sceneKind, name, files, isFolder, said, studyArea },
  ...(sceneKind === "elevation" ? { vertical } : {}),
});

/** A source as an account tells it. */
async function sourceOf(
  { db }: Pick<FileSource, "db">,
  content: string,
  { image, sceneId, name, acquiredAt, origin }: Found,
  pack: (node: NodeSpec) => number,
): Promise<AccountSource> {
  if (origin.kind === "made") {
    const { sceneKind, what, node } = origin;
    const made = { packedNode: pack(node) };
    return {
      ...{ content, sceneId },
      origin: {
        kind: "made",
        sceneKind,
        name,
        acquiredAt: aboutTime(acquiredAt),
        what,
        node: made,
      },
    };
  }
  const info = (await db.withClient((client) => findImage(client, image)))?.info;
  const vertical = info?.bands[0]?.vertical ?? null;
  if (origin.kind === "files") {
    return { content, sceneId, origin: fromFiles({ ...origin, name }, vertical) };
  }
  const parts = origin.parts.map((part) => fromFiles(part, vertical));
  return { content, sceneId, origin: { kind: "joined", name, parts } };
}

/** Results of chains among nodes that were kept, inputs first. */
async function keptIn({ db }: FileSource, nodes: readonly NodeSpec[]) {
  const all = new Map<string, NodeSpec>();
  for (const one of nodes) {
    walk(one, (spec) => all.set(nodeHash(spec, versionOf), spec));
  }
  const rows = await db.withClient((client) => keptBy(client, [...all.keys()]));
  return [...all].flatMap(([hash, node]) => {
    const row = rows.find((one) => one.hash === hash);
    return row ? [{ ...row, node }] : [];
  });
}

/** What the patches of a map come to, as one number, and how many they are. */
async function patchSum(source: FileSource): Promise<{ patches: string; patchCount: number }> {
  const hash = createHash("sha256");
  let patchCount = 0;
  for await (const patches of patchesOf(source)) {
    for (const { label, cells, areaM2, perimeterM, measure, elevation, geometry } of patches) {
      patchCount++;
      const facts = [patchCount, label, cells, areaM2, perimeterM, measure, elevation];
      hash.update(`${JSON.stringify(facts)}${geometry}\n`);
    }
  }
  return { patches: hash.digest("hex"), patchCount };
}

async function resultOf(source: FileSource, identity: string): Promise<AccountResult> {
  const { db, map, signal } = source;
  const cells = await contentOf(db, map.imageId, { signal, progress: () => {} });
  return { identity, cells, ...(await patchSum(source)), tally: map.tally };
}

async function modelTexts({ db }: FileSource, ids: Iterable<string>): Promise<Account["models"]> {
  const models: Account["models"] = [];
  for (const id of ids) {
    const text = await db.withClient((client) => findModelText(client, id));
    if (text === null) {
      throw new Error("A trained model that this map was made with is not there any more");
    }
    models.push({ id, text });
  }
  return models;
}

/** Everything that it takes to make a map again. @throws Error naming what cannot be had again */
async function accountOf(source: FileSource, made: MadeFrom & { stages: NodeSpec }) {
  const { db, map, info, signal, progress } = source;
  const scenes = await scenesOf({ db }, nodesOf(made));
  const contents = new Map<string, string>();
  for (const image of scenes.keys()) {
    const before = contents.size;
    const tell = (share: number) => progress((0.8 * (before + share)) / scenes.size);
    contents.set(image, await contentOf(db, image, { signal, progress: tell }));
  }
  const rename = renamer((image) => contents.get(image) ?? image);
  const packer = new GraphPacker();
  const pack = (node: NodeSpec) => packer.add(rename(node));
  const packed = (value: unknown): unknown =>
    JSON.parse(JSON.stringify(value, (_key, own: unknown) => packedNode(own, pack)));
  const sources: AccountSource[] = [];
  for (const [image, found] of scenes) {
    sources.push(await sourceOf({ db }, contents.get(image)!, found, pack));
  }
  const study = await db.withClient((client) => findStudy(client, map.studyId));
  const zones = await db.withClient((client) => zonesOfMap(client, map, info.grid));
  const all = [
    ...nodesOf(made),
    ...[...scenes.values()].flatMap(({ origin }) => (origin.kind === "made" ? [origin.node] : [])),
  ];
  const kept = await keptIn(source, nodesOf(made));
  const { stages, edits, ...rest } = made;
  // It is told as the first map of those that were edited, with the edits since.
  const { edited: _edited, ...provenance } = map.provenance;
  const name = editedFrom(map).at(-1) ?? map.name;
  return {
    ...{ format: ACCOUNT_FORMAT, program: map.provenance.program },
    study: {
      name: study!.name,
      hazard: study!.hazard,
      eventAt: study!.eventAt && new Date(study!.eventAt).toISOString(),
      studyArea: map.provenance.studyArea ?? null,
    },
    sources,
    models: await modelTexts(source, modelsIn(all)),
    map: {
      ...{ name, setup: map.setup, provenance, zones },
      stages: packed(stages),
      madeFrom: packed(rest),
      ...(edits?.length ? { edits } : {}),
    },
    kept: kept.flatMap(({ node, sceneId, step, steps }) => {
      const of = sources.find((one) => one.sceneId === sceneId);
      return of ? [{ node: { packedNode: pack(node) }, content: of.content, step, steps }] : [];
    }),
    nodes: packer.nodes,
    result: await resultOf(source, nodeHash(rename(stages), versionOf)),
  };
}

/** A node told by its place; all else as it is. */
const packedNode = (value: unknown, pack: (node: NodeSpec) => number): unknown =>
  isNodeSpec(value) ? { packedNode: pack(value) } : value;

/** How a map is made again from its files alone: sources by what they hold, steps, what came out. */
export const account: FileKind = {
  extension: "account.json",
  media: "application/json",
  title: "account",
  isPacked: false,
  async lacks(source) {
    const made = await recorded(source);
    if (typeof made === "string") {
      return made;
    }
    try {
      await scenesOf(source, nodesOf(made));
      return null;
    } catch (error) {
      return error instanceof Error ? error.message : String(error);
    }
  },
  async *bytes(source) {
    const made = await recorded(source);
    if (typeof made === "string" || !made.stages) {
      throw new Error(typeof made === "string" ? made : "It is not known how this map was made");
    }
    const told = await accountOf(source, { ...made, stages: made.stages });
    yield Buffer.from(`${JSON.stringify(told, null, 1)}\n`);
  },
};
