import type { MapEdited } from "@hindglance/contract/changeMaps";
import { paint } from "@hindglance/core/edit/paint";
import { measureOf } from "@hindglance/core/change/measures/all";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { MadeFrom } from "@hindglance/core/doubt/plan";
import type { EditKind } from "@hindglance/core/edit/edits";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { sourceNode } from "@hindglance/core/graph/node";
import { cellAreas } from "@hindglance/core/grid/area";
import { BLOCK, type Window, levelCount } from "@hindglance/core/grid/grid";
import { perimeterM } from "@hindglance/core/patches/facts";
import { type PatchedImage, numbersOf } from "@hindglance/core/patches/overlap";
import { runAt } from "@hindglance/core/patches/runs";
import { labelCells } from "@hindglance/core/raster/block";
import { Tally, type TallyData } from "@hindglance/core/tally/tally";
import { patchGeometry } from "@hindglance/formats/tables/geojson";
import { randomUUID } from "node:crypto";
import { type StoredBlock, removeBlocks, writeBlocks } from "../db/blocks";
import {
  type ChangeMap,
  type NewPatch,
  type Provenance,
  createChangeMap,
  deletePatches,
  writePatches,
} from "../db/changeMaps";
import {
  type EditPatch,
  type KeptPatch,
  actsUpTo,
  copyPatches,
  editPatches,
  editedSets,
  findEditHead,
  recordedActs,
} from "../db/edits";
import { createImage, deleteImage, finishImage } from "../db/images";
import type { Client } from "../db/pool";
import { addToLedger, touchStudy } from "../db/studies";
import { findJudgedMaps, inheritVerdicts } from "../db/verdicts";
import { EditedMaps } from "../eval/edited";
import type { Submit } from "../products/plans";
import { type ZonePolygons, zoneCells, zonesOfMap } from "../products/zonePolygons";
import { submitConfirmed } from "./countConfirmed";
import { submitDoubt } from "./countDoubt";
import type { RangeContext, RunKind } from "./kind";
import { type Inheritance, heirsOf, numbersOfImage, patchedImage } from "./mapPatches";
import { RANGE_CELLS, evaluatorFor, mergeTallies } from "./mapPhases";
import { meansOfMade } from "./meansOfMade";
import { buildLevel, levelRanges } from "./pyramidPhase";
import { type RowRange, blockWindows, rowRanges } from "./ranges";

/** The map that was edited, as a run that writes the edited one needs it. */
interface BaseMap {
  id: string;
  name: string;
  imageId: string;
  patchImageId: string | null;
}

/** What a run that writes an edited map is told. */
export interface EditedMapParams {
  changeMapId: string;
  imageId: string;
  /** By cell the number of the patch that somebody gave an outline. */
  patchImageId: string;
  name: string;
  base: BaseMap;
  /** The act up to which edits count. */
  head: number;
  info: ImageInfo;
  nodeHash: string;
  setup: ChangeSetup;
  zones: ZonePolygons;
  madeFrom: MadeFrom | null;
  provenance: Provenance;
  edited: MapEdited;
}

const CELLS = 0;
const levelsOf = ({ info: { grid } }: EditedMapParams) => levelCount(grid.width, grid.height);
const patchPhase = (params: EditedMapParams) => levelsOf(params);
const rangesOf = ({ info: { grid } }: EditedMapParams): RowRange[] =>
  rowRanges(grid.width, grid.height, RANGE_CELLS);

/** Decimals of a degree in outlines that do not follow cells: a hundredth of a millimetre. */
const FINE_DECIMALS = 10;

/** Cells of a window of whole rows, as those of a part of them. */
function partOf(rows: Uint32Array, width: number, window: Window): Float32Array {
  const part = new Float32Array(window.width * window.height);
  for (let r = 0; r < window.height; r++) {
    const at = r * width + window.col;
    part.set(rows.subarray(at, at + window.width), r * window.width);
  }
  return part;
}

/** Classes of a range with the edits painted over them, and the numbers of patches that have outlines. */
async function paintRange(seq: number, params: EditedMapParams, ctx: RangeContext) {
  const { base, head, info, zones } = params;
  const { grid } = info;
  const evaluator = evaluatorFor(ctx);
  const edited = new EditedMaps(ctx.db);
  const numbersAt = numbersOfImage(base.patchImageId, grid, ctx);
  const range = rangesOf(params)[seq]!;
  const windows = blockWindows(grid, range);
  const areas = cellAreas(grid);
  const tally = new Tally(zones.length + 1);
  const labelBlocks: StoredBlock[] = [];
  const numberBlocks: StoredBlock[] = [];
  for (const [k, window] of windows.entries()) {
    ctx.signal.throwIfAborted();
    const { bands } = await evaluator.read(sourceNode(base.imageId), 0, window);
    const labels = labelCells(bands[0]!);
    const rows = await numbersAt?.(window.row, window.height);
    const numbers = rows
      ? partOf(rows, grid.width, window)
      : new Float32Array(window.width * window.height);
    const painting = await edited.painting({ map: base.id, head }, grid, window);
    paint(painting, window, { size: grid, level: 0 }, { labels, numbers });
    tally.add(labels, zoneCells(zones, grid, window), window, areas);
    const at = { level: 0, row: window.row / BLOCK, col: window.col / BLOCK, band: 0 };
    labelBlocks.push({ ...at, cells: labels });
    if (numbers.some((number) => number > 0)) {
      numberBlocks.push({ ...at, cells: numbers });
    }
    ctx.progress((k + 1) / windows.length);
  }
  return {
    result: tally.toJSON(),
    write: async (client: Client) => {
      for (const [image, blocks] of [
        [params.imageId, labelBlocks],
        [params.patchImageId, numberBlocks],
      ] as const) {
        await removeBlocks(client, image, 0, range.from, range.to);
        await writeBlocks(client, image, blocks);
      }
    },
  };
}

/** A patch of an image: its number in its map, the number of its outline, and its first cell. */
interface Found {
  number: number;
  outline: number;
  row: number;
  col: number;
}

/** The patches of an image, in reading order. */
function patchesIn(image: PatchedImage): Found[] {
  const { runs, labelling } = image;
  const numbers = numbersOf(image);
  const found: Found[] = [];
  const seen = new Set<number>();
  for (let row = 0; row < runs.height; row++) {
    for (let run = runs.rows[row]!; run < runs.rows[row + 1]!; run++) {
      const id = labelling.patchOfRun[run]!;
      const number = numbers[id]!;
      if (number > 0 && !seen.has(id)) {
        seen.add(id);
        found.push({ number, outline: runs.numbers?.[run] ?? 0, row, col: runs.starts[run]! });
      }
    }
  }
  return found;
}

/** Tells patches that edits made from those that were taken as they were, with the number they had. */
function sorted(found: readonly Found[], base: PatchedImage, made: ReadonlySet<number>) {
  const numbers = numbersOf(base);
  const kept: KeptPatch[] = [];
  const laid = new Map<number, number>();
  for (const { number, outline, row, col } of found) {
    if (made.has(outline)) {
      laid.set(outline, number);
    } else {
      const run = runAt(base.runs, row, col);
      kept.push({ from: numbers[base.labelling.patchOfRun[run]!]!, number });
    }
  }
  return { kept, laid };
}

/** Patches that edits made, as a map keeps them. */
async function madePatches(
  params: EditedMapParams,
  rows: readonly EditPatch[],
  numberOf: ReadonlyMap<number, number>,
  ctx: RangeContext,
): Promise<NewPatch[]> {
  const { grid } = params.info;
  const there = rows.filter(({ number }) => numberOf.has(number));
  const means = await meansOfMade(params, there, ctx);
  const isRound = measureOf(params.setup.measure).circular ?? false;
  return there.map(({ outline, label, cells, areaM2, zones, number, ...box }, k): NewPatch => {
    const shape = { label, cells, areaM2, polygons: outline };
    const { west, south, east, north } = box;
    return {
      number: numberOf.get(number)!,
      ...{ label, cells, areaM2, zones, west, south, east, north },
      perimeterM: perimeterM(shape, grid),
      measure: isRound ? null : means[k]!.measure,
      elevation: means[k]!.elevation,
      edited: true,
      geometry: JSON.stringify(patchGeometry(shape, grid, FINE_DECIMALS)),
    };
  });
}

/** All patches of the edited map: those that edits made, and the others as they were. */
async function writeAllPatches(params: EditedMapParams, studyId: string, ctx: RangeContext) {
  const { base, head, info, setup, imageId, patchImageId, changeMapId } = params;
  const image = await patchedImage({ imageId, patchImageId, info, setup }, ctx);
  const older = await patchedImage({ ...base, info, setup }, ctx);
  const { rows, judged } = await ctx.db.withClient(async (client) => ({
    rows: await editPatches(client, base.id, (await editedSets(client, base.id, head)).made),
    judged: await findJudgedMaps(client, studyId),
  }));
  const numbers = new Set(rows.map(({ number }) => number));
  const { kept, laid } = sorted(patchesIn(image), older, numbers);
  const made = await madePatches(params, rows, laid, ctx);
  const own = judged.find(({ id }) => id === base.id);
  return {
    result: { inheritance: own ? await heirsOf(info, image, own, ctx) : null },
    write: async (client: Client) => {
      await writePatches(client, changeMapId, made);
      await copyPatches(client, base.id, changeMapId, kept);
    },
  };
}

const NO_FACTS = { statistics: null, histograms: null, looks: null };

/** Makes the edited map seen, with the verdicts that its patches take over. */
async function publish(
  params: EditedMapParams,
  tally: TallyData,
  inheritance: Inheritance | null,
  client: Client,
  studyId: string,
): Promise<void> {
  const { changeMapId, imageId, patchImageId, name, base, edited } = params;
  await finishImage(client, imageId, NO_FACTS);
  await finishImage(client, patchImageId, NO_FACTS);
  const { nodeHash, setup, madeFrom, provenance } = params;
  await createChangeMap(client, {
    ...{ id: changeMapId, studyId, name, imageId, patchImageId, nodeHash, setup },
    ...{ provenance, madeFrom, edited, tally },
  });
  const taken = inheritance ? await inheritVerdicts(client, changeMapId, inheritance) : 0;
  await addToLedger(client, studyId, "Edited map written", {
    ...(taken ? { verdictsTakenOver: taken } : {}),
    changeMap: changeMapId,
    name,
    from: { changeMap: base.id, name: base.name },
    acts: edited.acts,
    editors: edited.editors,
  });
  await touchStudy(client, studyId);
}

/** Writes a map with its edits as a map of its own: classes with overviews, the tally by zone, patches. */
export const writeEditedMap: RunKind<EditedMapParams> = {
  phases: (params) => [
    { name: "Classes with the edits", weight: 3 },
    ...Array.from({ length: levelsOf(params) - 1 }, (_v, k) => ({
      ...{ name: "Overviews", weight: 0.5 / 4 ** k },
    })),
    { name: "Patches", weight: 2 },
  ],
  async ranges(phase, params) {
    if (phase === patchPhase(params)) {
      return [1];
    }
    const ranges = phase === CELLS ? rangesOf(params) : levelRanges(params.info, phase);
    return ranges.map(({ cells }) => cells);
  },
  async work(phase, seq, params, ctx, run) {
    if (phase === CELLS) {
      return paintRange(seq, params, ctx);
    }
    if (phase === patchPhase(params)) {
      return writeAllPatches(params, run.studyId!, ctx);
    }
    const { imageId, info } = params;
    const range = levelRanges(info, phase)[seq]!;
    return { write: await buildLevel(ctx.db, imageId, info, phase, range, ctx.signal) };
  },
  async finish(params, results, client, run, { submit }) {
    const tally = mergeTallies(await results<TallyData>(CELLS));
    const [found] = await results<{ inheritance: Inheritance | null }>(patchPhase(params));
    await publish(params, tally, found?.inheritance ?? null, client, run.studyId!);
    const { changeMapId, patchImageId, name, imageId, info, setup, zones, madeFrom } = params;
    const of = { changeMapId, patchImageId, name, mapImageId: imageId, mapInfo: info };
    const map = { ...of, setup, zones };
    if (madeFrom?.doubt) {
      await submitDoubt(client, submit, run.studyId!, map, madeFrom.doubt);
    }
    await submitConfirmed(submit, run.studyId!, map, madeFrom?.second);
    return { changeMapId };
  },
  async discard(params, client) {
    await deletePatches(client, params.changeMapId);
    await deleteImage(client, params.imageId);
    await deleteImage(client, params.patchImageId);
  },
};

/** What an edited map says of its edits. */
async function editedBy(client: Client, map: ChangeMap, head: number): Promise<MapEdited> {
  const all = await actsUpTo(client, map.id, head);
  const acts: Partial<Record<EditKind, number>> = {};
  for (const { kind, acts: count } of all) {
    acts[kind] = (acts[kind] ?? 0) + count;
  }
  const { gone, made } = await editedSets(client, map.id, head);
  const { nextNumber } = (await findEditHead(client, map.id))!;
  return {
    from: { id: map.id, name: map.name },
    acts,
    editors: [...new Set(all.map(({ editor }) => editor))],
    ...{ gone: gone.length, made: made.length },
    lastNumber: nextNumber - 1,
    tally: map.tally,
  };
}

/** What made an edited map: what made the one that was edited, and the edits. */
function provenanceAfter({ name, provenance }: ChangeMap, edited: MapEdited): Provenance {
  const { acts, editors, gone, made } = edited;
  const before = provenance.edited ? { before: provenance.edited } : {};
  return {
    ...provenance,
    writtenAt: new Date().toISOString(),
    edited: { from: name, acts, editors, gone, made, ...before },
  };
}

/** What a map was made from, and its edits up to an act: what it takes to make the edited one again. */
async function madeFromWith(
  client: Client,
  map: string,
  madeFrom: MadeFrom | null,
  edited: { name: string; head: number; nextNumber: number },
): Promise<MadeFrom | null> {
  if (!madeFrom) {
    return null;
  }
  const { name, head, nextNumber } = edited;
  const edits = { name, nextNumber, acts: await recordedActs(client, map, head) };
  return { ...madeFrom, edits: [...(madeFrom.edits ?? []), edits] };
}

/** Begins the run that writes a map with its edits up to an act; the id of the run. */
export async function submitEditedMap(
  client: Client,
  engine: { submit(client: Client, order: Parameters<Submit>[0]): Promise<string> },
  told: { map: ChangeMap; info: ImageInfo; head: number; name: string; madeFrom: MadeFrom | null },
): Promise<string> {
  const { map, info, head, name, madeFrom } = told;
  const { grid } = info;
  const numbered: ImageInfo = {
    ...{ grid, type: "float32" },
    bands: [{ name: "patch", unit: "", role: "value" }],
  };
  const { id, studyId, imageId, patchImageId, nodeHash, setup } = map;
  const edited = await editedBy(client, map, head);
  const params: EditedMapParams = {
    changeMapId: randomUUID(),
    imageId: await createImage(client, info, levelCount(grid.width, grid.height)),
    patchImageId: await createImage(client, numbered, 1),
    name,
    base: { id, name: map.name, imageId, patchImageId },
    ...{ head, info, nodeHash, setup },
    zones: await zonesOfMap(client, map, grid),
    madeFrom: await madeFromWith(client, id, madeFrom, {
      ...{ name, head, nextNumber: edited.lastNumber + 1 },
    }),
    provenance: provenanceAfter(map, edited),
    edited,
  };
  return engine.submit(client, {
    ...{ studyId, kind: "writeEditedMap", title: `Write ${name}`, params },
  });
}
