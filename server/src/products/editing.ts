import type { Edit } from "@hindglance/contract/edits";
import { type Size, type ZonesIn, sizeOf, windowOf } from "@hindglance/core/edit/cells";
import {
  type EditOutcome,
  type EditedPatch,
  cut,
  laid,
  laying,
  merged,
  relabelled,
} from "@hindglance/core/edit/edits";
import { outlineFrom, outlineInCells } from "@hindglance/core/edit/outline";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type CellAreas, cellAreas } from "@hindglance/core/grid/area";
import { type Bounds, boundsOnGlobe } from "@hindglance/core/patches/boundsOnGlobe";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import type { ChangeMap } from "../db/changeMaps";
import {
  type EditPatch,
  type EditedSets,
  editPatches,
  editPatchesIn,
  editedSets,
  findEditHead,
  heirOf,
  writtenPatches,
  writtenPatchesIn,
} from "../db/edits";
import type { Client } from "../db/pool";
import { AppError } from "../errors";
import { outlinesOf } from "../eval/edited";
import { zoneCells, zonesOfMap } from "./zonePolygons";

/** Patches that one edit may meet. */
const MOST_MET = 20_000;

/** The first number that a patch made by edits of a map can have. */
export const firstNumberOf = ({ patchCount, edited }: ChangeMap): number =>
  Math.max(patchCount, edited?.lastNumber ?? 0) + 1;

/** Box of outlines in degrees. */
export const boundsOf = (polygons: MultiPolygon, { grid }: ImageInfo): Bounds =>
  boundsOnGlobe(polygons.flat(2), grid);

/** How large the ground of outlines is on a map, by zone too. */
export type Sizing = (polygons: MultiPolygon) => ReturnType<typeof sizeOf>;

/** Sizes on a map with its zones. */
export async function sizingOn(
  client: Client,
  map: ChangeMap,
  { grid }: ImageInfo,
): Promise<Sizing> {
  const areas: CellAreas = cellAreas(grid);
  const zones = await zonesOfMap(client, map, grid);
  const zonesIn: ZonesIn = (window) => zoneCells(zones, grid, window);
  return (polygons) => sizeOf(polygons, grid, areas, zonesIn);
}

/** What the edits of a map come to now. */
export const setsOf = async (client: Client, map: string): Promise<EditedSets> =>
  editedSets(client, map, (await findEditHead(client, map))?.head ?? null);

/** A map with its edits, of which some patches are asked for. */
interface OnMap {
  client: Client;
  map: ChangeMap;
  info: ImageInfo;
  sets: EditedSets;
}

/** Those of some patches that are there, with their outlines. @throws AppError where one is not */
async function requirePatches(
  { client, map, info, sets }: OnMap,
  numbers: readonly number[],
): Promise<EditedPatch[]> {
  const first = firstNumberOf(map);
  const isThere = (number: number) =>
    number < first
      ? number <= map.patchCount && !sets.gone.includes(number)
      : sets.made.includes(number);
  const lacking = numbers.find((number) => !isThere(number));
  if (lacking !== undefined) {
    throw new AppError(
      409,
      "changedMeanwhile",
      `Patch ${lacking} is not there any more: it was edited meanwhile`,
      "number",
      "Pick it again as it is now.",
    );
  }
  const found = await outlinesOf(client, map.id, info.grid, {
    gone: numbers.filter((number) => number < first),
    made: numbers.filter((number) => number >= first),
  });
  return numbers.map((number) => found.find((one) => one.number === number)!);
}

/** Patches that may lie under an outline. @throws AppError where they are too many */
async function patchesUnder(
  { client, map, info, sets }: OnMap,
  polygons: MultiPolygon,
): Promise<EditedPatch[]> {
  if (!windowOf(polygons, info.grid)) {
    return [];
  }
  const { west, south, east, north } = boundsOf(polygons, info);
  const box = [west, south, east, north] as const;
  const written = await writtenPatchesIn(client, map.id, sets.gone, box, MOST_MET);
  const made = await editPatchesIn(client, map.id, sets.made, box, MOST_MET);
  if (written.length + made.length >= MOST_MET) {
    throw new AppError(
      422,
      "tooManyPatches",
      `This outline may lie over ${MOST_MET} patches or more`,
      "polygons",
      "Draw it in parts.",
    );
  }
  return [
    ...written.map(({ number, label, geometry, edited }) => ({
      ...{ number, label },
      polygons: outlineInCells(outlineFrom(geometry), info.grid, !edited),
    })),
    ...made.map(({ number, label, outline }) => ({ number, label, polygons: outline })),
  ];
}

/** A part of an edit that its kind needs. @throws AppError where it was not given */
function given<Part>(part: Part | undefined, name: string, kind: Edit["kind"]): Part {
  if (part === undefined) {
    throw new AppError(422, "invalid", `An edit of kind ${kind} needs ${name}`, `edit.${name}`);
  }
  return part;
}

/** @throws AppError where the map has no such class */
function requireClass(label: number, { classes }: ImageInfo): number {
  if (!classes?.some((one) => one.label === label)) {
    throw new AppError(422, "invalid", `The map has no class ${label}`, "edit.label");
  }
  return label;
}

const both = (outcomes: readonly EditOutcome[]): EditOutcome => ({
  gone: outcomes.flatMap(({ gone }) => gone),
  made: outcomes.flatMap(({ made }) => made),
});

/** Ground made a patch, or the outline of a patch replaced. */
async function lay(on: OnMap, edit: Edit, patch: EditedPatch | null): Promise<EditOutcome> {
  const { info } = on;
  const polygons = given(edit.polygons, "polygons", edit.kind);
  const label = patch?.label ?? requireClass(given(edit.label, "label", edit.kind), info);
  const ground = laying({ label, polygons }, patch, edit, info.grid);
  const others = await patchesUnder(on, ground.gained);
  return laid(ground, others, edit, info.grid);
}

/** What an edit comes to on a map as its edits left it. @throws AppError, InputError */
export async function outcomeOf(on: OnMap, edit: Edit): Promise<EditOutcome> {
  const size: Size = on.info.grid;
  const one = async () => {
    const [patch] = await requirePatches(on, [given(edit.number, "number", edit.kind)]);
    return patch!;
  };
  const several = () => requirePatches(on, [...new Set(given(edit.numbers, "numbers", edit.kind))]);
  switch (edit.kind) {
    case "draw":
      return lay(on, edit, null);
    case "reshape":
      return lay(on, edit, await one());
    case "cut":
      return cut(
        await one(),
        given(edit.line, "line", edit.kind).map(([col, row]) => [col!, row!]),
        edit,
        size,
      );
    case "merge":
      return merged(await several(), size);
    case "relabel": {
      const label = requireClass(given(edit.label, "label", edit.kind), on.info);
      return both((await several()).map((patch) => relabelled(patch, label)));
    }
    default:
      return both((await several()).map(({ number }) => ({ gone: [number], made: [] })));
  }
}

/** The patches that an outcome makes, as they are kept. @param first number of the first of them */
export function rowsOf(
  { made }: EditOutcome,
  first: number,
  sizing: Sizing,
  info: ImageInfo,
): EditPatch[] {
  return made.map(({ from, label, polygons }, k) => ({
    number: first + k,
    origin: from,
    label,
    ...sizing(polygons),
    ...boundsOf(polygons, info),
    outline: polygons,
  }));
}

/**
 * A patch as the edits of a map leave it; the largest that came of it where it is not there any more;
 * null where there is none.
 */
export async function editedPatch(on: OnMap, asked: number) {
  const { client, map, sets } = on;
  const first = firstNumberOf(map);
  const isGone = asked < first ? sets.gone.includes(asked) : !sets.made.includes(asked);
  const number = isGone ? await heirOf(client, map.id, asked, sets.made) : asked;
  if (number === null) {
    return null;
  }
  const isWritten = number < first;
  const [row] = await (isWritten ? writtenPatches : editPatches)(client, map.id, [number]);
  if (!row) {
    return null;
  }
  const [patch] = await requirePatches(on, [number]);
  const { label, cells, areaM2, west, south, east, north } = row;
  const facts = { number, label, cells, areaM2, west, south, east, north };
  return { ...facts, edited: !isWritten, polygons: patch!.polygons };
}
