import { InputError } from "../errors";
import { intersect } from "../grid/grid";
import type { MultiPolygon, Position } from "../vector/polygons";
import { type Size, alongCells, cellGrid, windowOf } from "./cells";
import {
  areaInCells,
  cleaned,
  difference,
  differenceOfAll,
  intersection,
  ringArea,
  stripAlong,
  union,
} from "./clip";
import { rasteriseSpans } from "../vector/rasterise";

/** What can be done to patches. */
export const EDIT_KINDS = ["draw", "reshape", "cut", "merge", "relabel", "remove"] as const;
export type EditKind = (typeof EDIT_KINDS)[number];

/** A patch whose outline is edited: in cells of the map, columns and rows. */
export interface EditedPatch {
  number: number;
  label: number;
  polygons: MultiPolygon;
}

/** A patch that an edit made. */
export interface MadePatch {
  /** The patch that it was before; null where it is new. */
  from: number | null;
  label: number;
  polygons: MultiPolygon;
}

/** What an edit comes to: patches that are not there any more, and those in their place. */
export interface EditOutcome {
  gone: number[];
  made: MadePatch[];
}

/** How outlines are kept. */
export interface EditManner {
  /** Whether outlines follow the sides of cells; else they stay as they are drawn. */
  isSnapped: boolean;
  /** Whether ground is taken from other patches; else only ground of no patch is. */
  isTaking: boolean;
}

/** Whether the centre of some cell lies in polygons. */
function holdsCell(polygons: MultiPolygon, size: Size): boolean {
  const window = windowOf(polygons, size);
  let holds = false;
  if (window) {
    rasteriseSpans(polygons, cellGrid(size), window, () => {
      holds = true;
    });
  }
  return holds;
}

const LEAST_CELLS = 1 - 1e-9;

/** Whether a part is a patch of its own: as large as a cell, and with the centre of one. */
const isPart = (polygon: MultiPolygon[number], size: Size): boolean =>
  areaInCells([polygon]) >= LEAST_CELLS && holdsCell([polygon], size);

/** Holes up to this size, in cells, come of sides that meet to a step of the lattice only. */
const HAIR_CELLS = 0.005;

/** Polygons without holes that are smaller than so many cells. */
const withoutHoles = (polygons: MultiPolygon, leastCells: number): MultiPolygon =>
  polygons.map(([shell, ...holes]) => [
    shell!,
    ...holes.filter((hole) => Math.abs(ringArea(hole)) >= leastCells),
  ]);

/** Parts that are large enough, and those that are not. */
function sifted(polygons: MultiPolygon, size: Size): { kept: MultiPolygon; slivers: MultiPolygon } {
  const whole = withoutHoles(polygons, HAIR_CELLS);
  return {
    kept: whole.filter((polygon) => isPart(polygon, size)),
    slivers: whole.filter((polygon) => !isPart(polygon, size)),
  };
}

const wholeOf = ({ width, height }: Size): MultiPolygon => [
  [
    [
      [0, 0],
      [width, 0],
      [width, height],
      [0, height],
      [0, 0],
    ],
  ],
];

/** An outline as it is kept: within the map, without holes under a cell, along cells where it is wanted. */
const asKept = (polygons: MultiPolygon, { isSnapped }: EditManner, size: Size): MultiPolygon =>
  isSnapped
    ? alongCells(polygons, size)
    : withoutHoles(intersection(polygons, wholeOf(size)), LEAST_CELLS);

/** Those of some patches on which ground may lie: some part of it has a box in common with them. */
function nearTo(ground: MultiPolygon, others: readonly EditedPatch[], size: Size): EditedPatch[] {
  const parts = ground.flatMap((part) => windowOf([part], size) ?? []);
  return others.filter(({ polygons }) => {
    const window = windowOf(polygons, size);
    return window !== null && parts.some((part) => intersect(part, window) !== null);
  });
}

/** Ground that is to become a patch, or to take the place of one. */
export interface Laying {
  label: number;
  polygons: MultiPolygon;
  /** The part of it that was not of the patch before: other patches can lie there alone. */
  gained: MultiPolygon;
  patch: EditedPatch | null;
}

/** An outline that was drawn, as it is laid. @param patch what it takes the place of; null: it is new */
export function laying(
  { label, polygons }: Omit<MadePatch, "from">,
  patch: EditedPatch | null,
  manner: EditManner,
  size: Size,
): Laying {
  const shape = asKept(polygons, manner, size);
  const gained = patch ? difference(shape, patch.polygons) : shape;
  return { label, polygons: shape, gained, patch };
}

/**
 * Ground made a patch: drawn, grown, or in place of the outline that a patch had. It lies over no other
 * patch afterwards: those that it meets lose ground to it, or it leaves theirs out. What would be left of
 * a patch in pieces under a cell goes to it too; pieces of its own under a cell are left out.
 * @param others all patches that may lie under what it gains
 * @throws InputError where no cell has its centre in what is left of it
 */
export function laid(
  { label, polygons, gained, patch }: Laying,
  others: readonly EditedPatch[],
  { isTaking }: Pick<EditManner, "isTaking">,
  size: Size,
): EditOutcome {
  const apart = others.filter(({ number }) => number !== patch?.number);
  const under = nearTo(gained, apart, size);
  const taken = isTaking ? takenFrom(under, gained, size) : null;
  const shape = taken
    ? taken.slivers.reduce((all, sliver) => union(all, [sliver]), polygons)
    : differenceOfAll(
        polygons,
        under.map((one) => one.polygons),
      );
  const { kept } = sifted(shape, size);
  if (kept.length === 0) {
    throw new InputError(
      "No cell has its centre in this outline",
      "polygons",
      isTaking
        ? "Make it larger: a patch has one cell at least."
        : "Its ground belongs to other patches: let it take ground of theirs, or draw it elsewhere.",
    );
  }
  const own = { from: patch?.number ?? null, label, polygons: kept };
  return {
    gone: [...(patch ? [patch.number] : []), ...(taken?.gone ?? [])],
    made: [own, ...(taken?.made ?? [])],
  };
}

/** What patches are left with once ground is taken from them; what is left under a cell is a sliver. */
function takenFrom(
  under: readonly EditedPatch[],
  ground: MultiPolygon,
  size: Size,
): EditOutcome & { slivers: MultiPolygon } {
  const taken: EditOutcome & { slivers: MultiPolygon } = { gone: [], made: [], slivers: [] };
  for (const { number, label, polygons } of under) {
    if (areaInCells(intersection(polygons, ground)) > 0) {
      const { kept, slivers } = sifted(difference(polygons, ground), size);
      taken.slivers.push(...slivers);
      taken.gone.push(number);
      if (kept.length > 0) {
        taken.made.push({ from: number, label, polygons: kept });
      }
    }
  }
  return taken;
}

/** Places where a line is cut: a little beyond each end, so that a strip along it parts what it crosses. */
function lengthened(line: readonly Position[]): Position[] {
  const beyond = (from: Position, to: Position): Position => {
    const length = Math.hypot(to[0] - from[0], to[1] - from[1]);
    const by = length > 0 ? 2e-3 / length : 0;
    return [to[0] + (to[0] - from[0]) * by, to[1] + (to[1] - from[1]) * by];
  };
  return [beyond(line[1]!, line[0]!), ...line.slice(1, -1), beyond(line.at(-2)!, line.at(-1)!)];
}

/** Where a segment crosses the sides of polygons, as shares of it in order. */
function crossings(from: Position, to: Position, polygons: MultiPolygon): number[] {
  const shares: number[] = [];
  const [dx, dy] = [to[0] - from[0], to[1] - from[1]];
  for (const ring of polygons.flat()) {
    for (let k = 0; k + 1 < ring.length; k++) {
      const [a, b] = [ring[k]!, ring[k + 1]!];
      const [ex, ey] = [b[0] - a[0], b[1] - a[1]];
      const det = dx * ey - dy * ex;
      if (det !== 0) {
        const share = ((a[0] - from[0]) * ey - (a[1] - from[1]) * ex) / det;
        const along = ((a[0] - from[0]) * dy - (a[1] - from[1]) * dx) / det;
        if (share >= 0 && share <= 1 && along >= 0 && along <= 1) {
          shares.push(share);
        }
      }
    }
  }
  return shares.sort((one, other) => one - other);
}

/**
 * The line from its first crossing of the sides of polygons to its last one: loose ends that stop amid a
 * patch part nothing. Null where it crosses fewer than two sides.
 */
function withoutLooseEnds(line: readonly Position[], polygons: MultiPolygon): Position[] | null {
  const found = line.slice(1).flatMap((to, k) => {
    const from = line[k]!;
    return crossings(from, to, polygons).map((share) => ({
      segment: k,
      at: [from[0] + share * (to[0] - from[0]), from[1] + share * (to[1] - from[1])] as Position,
    }));
  });
  const [first, last] = [found[0], found.at(-1)];
  if (!first || !last || first === last) {
    return null;
  }
  return [first.at, ...line.slice(first.segment + 1, last.segment + 1), last.at];
}

/**
 * A patch cut along a line into two or more. The first part has the ground under the line, which is two
 * steps of the lattice wide.
 * @param line in cells @throws InputError where it does not part the patch
 */
export function cut(
  patch: EditedPatch,
  line: readonly Position[],
  { isSnapped }: Pick<EditManner, "isSnapped">,
  size: Size,
): EditOutcome {
  const own = cleaned(patch.polygons);
  const path = line.length > 1 ? withoutLooseEnds(line, own) : null;
  const strip = path ? stripAlong(lengthened(path)) : [];
  const off = own
    .flatMap((polygon) => cutOff(polygon, strip, size))
    .map((piece) => (isSnapped ? intersection(own, alongCells([piece], size)) : [piece]))
    .map((part) => sifted(part, size).kept)
    .filter((part) => part.length > 0);
  const first = off.reduce((ground, part) => difference(ground, part), own);
  if (off.length === 0 || !holdsCell(first, size)) {
    throw new InputError(
      "The line does not part this patch",
      "line",
      "Draw it from outside the patch across it to its other side; each part needs a cell.",
    );
  }
  const { kept: rest, slivers } = sifted(first, size);
  const kept = slivers.reduce(withSliver, [rest, ...off]);
  const made = kept.map((polygons) => ({ from: patch.number, label: patch.label, polygons }));
  return { gone: [patch.number], made };
}

/** Parts with a sliver given to the one that it touches; left out where it touches none. */
function withSliver(parts: readonly MultiPolygon[], sliver: MultiPolygon[number]): MultiPolygon[] {
  const joined = parts.map((part) => union(part, [sliver]));
  const touched = joined.findIndex((whole, k) => whole.length <= parts[k]!.length);
  return parts.map((part, k) => (k === touched ? joined[k]! : part));
}

/** What a strip cuts off a polygon: all of its pieces but the largest, where they are large enough. */
function cutOff(polygon: MultiPolygon[number], strip: MultiPolygon, size: Size): MultiPolygon {
  const [, ...pieces] = difference([polygon], strip).sort(
    (one, other) => areaInCells([other]) - areaInCells([one]),
  );
  return pieces.filter((piece) => isPart(piece, size));
}

/**
 * Patches made one, of the class of the first. They need not touch: one patch may have several parts.
 * @throws InputError for less than two
 */
export function merged(patches: readonly EditedPatch[], size: Size): EditOutcome {
  const [first, ...others] = patches;
  if (!first || others.length === 0) {
    throw new InputError("One patch alone cannot be merged", "numbers", "Pick two or more.");
  }
  const all = others.reduce(
    (ground, { polygons }) => union(ground, polygons),
    cleaned(first.polygons),
  );
  return {
    gone: patches.map(({ number }) => number),
    made: [{ from: first.number, label: first.label, polygons: sifted(all, size).kept }],
  };
}

/** A patch given another class. */
export const relabelled = ({ number, polygons }: EditedPatch, label: number): EditOutcome => ({
  gone: [number],
  made: [{ from: number, label, polygons }],
});
