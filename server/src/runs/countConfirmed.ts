import { saidCells } from "@hindglance/core/change/confirmed";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { AskedSecond } from "@hindglance/core/doubt/plan";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";
import { cellAreas } from "@hindglance/core/grid/area";
import { patchMeans } from "@hindglance/core/patches/facts";
import { numbersOf } from "@hindglance/core/patches/overlap";
import { labelCells } from "@hindglance/core/raster/block";
import { Tally, type TallyData } from "@hindglance/core/tally/tally";
import {
  type PatchConfirmed,
  deletePatchConfirmed,
  setMapConfirmed,
  writePatchConfirmed,
} from "../db/confirmed";
import { deleteStates } from "../db/nodes";
import type { Client } from "../db/pool";
import { addToLedger, touchStudy } from "../db/studies";
import type { Submit } from "../products/plans";
import { type ZonePolygons, zoneCells } from "../products/zonePolygons";
import { joined, sumsFrom } from "./doubtStates";
import type { RangeContext, RunKind } from "./kind";
import { numbersOfImage, patchedImage } from "./mapPatches";
import { RANGE_CELLS, evaluatorFor, mergeTallies } from "./mapPhases";
import { type RowRange, blockWindows, rowRanges } from "./ranges";
import { StripSums } from "./stripSums";

/** What a run that asks a second sensor about a map is told. */
export interface ConfirmedParams {
  changeMapId: string;
  name: string;
  /** The map as it was written. */
  mapImageId: string;
  /** Numbers of patches that somebody gave an outline, where the map has any. */
  patchImageId?: string | null;
  mapInfo: ImageInfo;
  setup: ChangeSetup;
  zones: ZonePolygons;
  second: AskedSecond;
}

const CELLS = 0;
const PATCHES = 1;
/** Layers that are meant over patches: what is seen, and what is confirmed. */
const LAYERS = 2;

const rangesOf = ({ mapInfo: { grid } }: ConfirmedParams): RowRange[] =>
  rowRanges(grid.width, grid.height, RANGE_CELLS);
const keyOf = ({ changeMapId }: ConfirmedParams, what: string) =>
  `confirmed/${changeMapId}/${what}`;

/** What the second sensor says of every cell of the map as it was written. */
function saidNode({ mapImageId, second }: ConfirmedParams): NodeSpec {
  const { labels, op, value } = second.confirms;
  return node("change.confirmed", { labels, op, value }, sourceNode(mapImageId), second.node);
}

/** Counts a range by class, zone and what is said, and sums shares over runs of cells. */
async function countRange(seq: number, params: ConfirmedParams, ctx: RangeContext) {
  const { mapImageId, patchImageId, mapInfo, zones } = params;
  const evaluator = evaluatorFor(ctx);
  const said = saidNode(params);
  const areas = cellAreas(mapInfo.grid);
  const tally = new Tally(zones.length + 1);
  const numbersAt = numbersOfImage(patchImageId ?? null, mapInfo.grid, ctx);
  const sums = new StripSums(mapInfo.grid.width, LAYERS, numbersAt);
  const windows = blockWindows(mapInfo.grid, rangesOf(params)[seq]!);
  for (const [k, window] of windows.entries()) {
    ctx.signal.throwIfAborted();
    const cells = labelCells((await evaluator.read(said, 0, window)).bands[0]!);
    const map = labelCells((await evaluator.read(sourceNode(mapImageId), 0, window)).bands[0]!);
    tally.add(cells, zoneCells(zones, mapInfo.grid, window), window, areas);
    const seen = saidCells(cells, "unseen").map((value) => 1 - value);
    await sums.add(map, [seen, saidCells(cells, "confirmed")], window);
    ctx.progress((k + 1) / windows.length);
  }
  const key = keyOf(params, `sums/${seq}`);
  await ctx.states.remove([key]);
  await ctx.states.put(key, { sums: sums.finish() });
  return { result: tally.toJSON() };
}

/** What the second sensor says of every patch of a class that it is asked about. */
async function countPatches(params: ConfirmedParams, ctx: RangeContext) {
  const { mapImageId, patchImageId = null, mapInfo, setup } = params;
  const cut = { imageId: mapImageId, patchImageId, info: mapInfo, setup };
  const image = await patchedImage(cut, ctx);
  const parts = await Promise.all(
    rangesOf(params).map(async (_range, seq) =>
      sumsFrom(await ctx.states.get(keyOf(params, `sums/${seq}`))),
    ),
  );
  const means = patchMeans(image.runs, image.labelling, joined(parts), LAYERS);
  const numbers = [...numbersOf(image)].filter((number) => number > 0);
  const patches = numbers.flatMap((number, k): PatchConfirmed[] => {
    const [seenShare, confirmedShare] = means.subarray(k * LAYERS, (k + 1) * LAYERS);
    return Number.isFinite(seenShare)
      ? [{ number, seenShare: seenShare!, confirmedShare: confirmedShare! }]
      : [];
  });
  return { write: (client: Client) => writePatchConfirmed(client, params.changeMapId, patches) };
}

/** Asks a second sensor about a map: areas by class, zone and what it says, and shares of every patch. */
export const countConfirmed: RunKind<ConfirmedParams> = {
  phases: () => [
    { name: "Asking the second sensor", weight: 3 },
    { name: "Patch by patch", weight: 1 },
  ],
  ranges: async (phase, params) =>
    phase === PATCHES ? [1] : rangesOf(params).map(({ cells }) => cells),
  work: (phase, seq, params, ctx) =>
    phase === PATCHES ? countPatches(params, ctx) : countRange(seq, params, ctx),
  async finish(params, results, client, run) {
    const { changeMapId, name, second } = params;
    const tally = mergeTallies(await results<TallyData>(CELLS));
    if (!(await setMapConfirmed(client, changeMapId, { confirms: second.confirms, tally }))) {
      await deletePatchConfirmed(client, changeMapId);
      await deleteStates(client, keyOf(params, ""));
      return {};
    }
    await addToLedger(client, run.studyId!, "Second sensor asked", {
      ...{ changeMap: changeMapId, name },
      confirms: second.confirms,
    });
    await deleteStates(client, keyOf(params, ""));
    await touchStudy(client, run.studyId!);
    return { changeMapId };
  },
  discard: (params, client) => deleteStates(client, keyOf(params, "")),
};

/** Begins to ask a second sensor about a map that was just written, where one is to be asked. */
export async function submitConfirmed(
  submit: Submit,
  studyId: string,
  map: Omit<ConfirmedParams, "second">,
  second: AskedSecond | null | undefined,
): Promise<void> {
  if (second) {
    const params: ConfirmedParams = { ...map, second };
    const title = `What the second sensor says of ${map.name}`;
    await submit({ studyId, kind: "countConfirmed", title, params });
  }
}
