import { randomFrom } from "../classify/random";
import { InputError } from "../errors";
import type { CellAreas } from "../grid/area";
import { CLASS_NODATA } from "../raster/block";
import { type Runs, RunsBuilder, runEnd } from "../patches/runs";
import type { Drawing, Stratum, Testing } from "./sample";

/** A map in strata. */
export interface StratifiedMap {
  runs: Runs;
  strata: Stratum[];
}

/** A place that is to be looked at. */
export interface DrawnPlace {
  stratum: number;
  /** Label of the map there; 0 is no change. */
  label: number;
  col: number;
  row: number;
}

/** Columns from one to before another. */
type Span = [from: number, to: number];

/** Columns of a row that lie in a class. */
function classSpans(runs: Runs, row: number): Span[] {
  const out: Span[] = [];
  for (let i = runs.rows[row]!; i < runs.rows[row + 1]!; i++) {
    const label = runs.labels[i]!;
    if (label !== 0 && label !== CLASS_NODATA) {
      out.push([runs.starts[i]!, runEnd(runs, i, row)]);
    }
  }
  return out;
}

/** Spans that touch or overlap as one, from the left. */
function joined(spans: readonly Span[]): Span[] {
  const out: Span[] = [];
  for (const [from, to] of [...spans].sort((a, b) => a[0] - b[0])) {
    const last = out.at(-1);
    if (last && from <= last[1]) {
      last[1] = Math.max(last[1], to);
    } else {
      out.push([from, to]);
    }
  }
  return out;
}

/** Columns of a row within so many cells of a class, in this row or those around it. */
function nearSpans(runs: Runs, row: number, cells: number): Span[] {
  const spans: Span[] = [];
  const last = Math.min(runs.height - 1, row + cells);
  for (let r = Math.max(0, row - cells); r <= last; r++) {
    for (const [from, to] of classSpans(runs, r)) {
      spans.push([Math.max(0, from - cells), Math.min(runs.width, to + cells)]);
    }
  }
  return joined(spans);
}

/** Cuts a run of no change where it lies near change. */
function pushNear(out: RunsBuilder, [from, to]: Span, near: readonly Span[], label: number): void {
  let at = from;
  for (const [begin, end] of near) {
    if (end > at && begin < to) {
      if (begin > at) {
        out.push(at, 0);
      }
      out.push(Math.max(at, begin), label);
      at = Math.min(to, end);
    }
  }
  if (at < to) {
    out.push(at, 0);
  }
}

/**
 * A map with ground near its change as a stratum of its own: no change within so many cells of a class, in
 * a square around each.
 * @param near number of that stratum, which no class has
 */
export function withNear(runs: Runs, cells: number, near: number): Runs {
  const out = new RunsBuilder(runs.width, runs.height);
  for (let row = 0; row < runs.height; row++) {
    const spans = nearSpans(runs, row, cells);
    for (let i = runs.rows[row]!; i < runs.rows[row + 1]!; i++) {
      const span: Span = [runs.starts[i]!, runEnd(runs, i, row)];
      if (runs.labels[i] === 0) {
        pushNear(out, span, spans, near);
      } else {
        out.push(span[0], runs.labels[i]!);
      }
    }
    out.endRow();
  }
  return out.finish();
}

/** Strata of a map, by number; cells of no date are in none. */
export function strataOf(runs: Runs, areas: CellAreas, near: number | null): Stratum[] {
  const found = new Map<number, Stratum>();
  for (let row = 0; row < runs.height; row++) {
    for (let i = runs.rows[row]!; i < runs.rows[row + 1]!; i++) {
      const id = runs.labels[i]!;
      if (id !== CLASS_NODATA) {
        const [from, to] = [runs.starts[i]!, runEnd(runs, i, row)];
        const stratum = found.get(id) ?? { id, label: id === near ? 0 : id, cells: 0, areaM2: 0 };
        stratum.cells += to - from;
        stratum.areaM2 += areas.run(row, from, to);
        found.set(id, stratum);
      }
    }
  }
  return [...found.values()].sort((a, b) => a.id - b.id);
}

/** So many different numbers under a bound, ascending, each as likely as any other (Floyd 1987). */
export function someOf(bound: number, count: number, random: () => number): number[] {
  const taken = new Set<number>();
  for (let k = bound - count; k < bound; k++) {
    const one = Math.floor(random() * (k + 1));
    taken.add(taken.has(one) ? k : one);
  }
  return [...taken].sort((a, b) => a - b);
}

/** Cells by their place among those of their pool, in reading order. */
function cellsAt(
  runs: Runs,
  poolOf: (label: number) => number | null,
  wanted: ReadonlyMap<number, readonly number[]>,
): { col: number; row: number; id: number }[] {
  const seen = new Map<number, number>();
  const next = new Map<number, number>();
  const out: { col: number; row: number; id: number }[] = [];
  for (let row = 0; row < runs.height; row++) {
    for (let i = runs.rows[row]!; i < runs.rows[row + 1]!; i++) {
      const id = runs.labels[i]!;
      const pool = poolOf(id);
      const places = pool === null ? undefined : wanted.get(pool);
      if (pool === null || !places) {
        continue;
      }
      const before = seen.get(pool) ?? 0;
      const cells = runEnd(runs, i, row) - runs.starts[i]!;
      let k = next.get(pool) ?? 0;
      for (; k < places.length && places[k]! < before + cells; k++) {
        out.push({ col: runs.starts[i]! + places[k]! - before, row, id });
      }
      next.set(pool, k);
      seen.set(pool, before + cells);
    }
  }
  return out;
}

/** Cells of a square lattice that begins at a random place, so many as there are about. */
function latticeCells(runs: Runs, cells: number, count: number, random: () => number) {
  const step = Math.max(1, Math.sqrt(cells / count));
  const [left, top] = [random() * step, random() * step];
  const out: { col: number; row: number; id: number }[] = [];
  for (let at = top; at < runs.height; at += step) {
    const row = Math.floor(at);
    let i = runs.rows[row]!;
    for (let x = left; x < runs.width; x += step) {
      const col = Math.floor(x);
      while (runEnd(runs, i, row) <= col) {
        i++;
      }
      if (runs.labels[i] !== CLASS_NODATA) {
        out.push({ col, row, id: runs.labels[i]! });
      }
    }
  }
  return out;
}

/** In an order that says nothing of where they lie or what they are of (Fisher & Yates). */
function shuffled<T>(all: T[], random: () => number): T[] {
  const out = [...all];
  for (let k = out.length - 1; k > 0; k--) {
    const other = Math.floor(random() * (k + 1));
    [out[k], out[other]] = [out[other]!, out[k]!];
  }
  return out;
}

/** How what a map is tested on was asked for; of areas `count` is how many there are. */
export type TestDesign = Omit<SampleDesign, "drawing"> & { drawing: Testing };

/** How a sample is drawn. */
export interface SampleDesign {
  drawing: Drawing;
  seed: number;
  /** Places by stratum, where it is stratified. */
  units: Record<number, number>;
  /** Places in all, where it is not. */
  count: number;
}

/** @throws InputError where a stratum is asked for more than it has */
function requireRoom({ strata }: StratifiedMap, { units }: SampleDesign): void {
  for (const { id, cells } of strata) {
    const wanted = units[id] ?? 0;
    if (!Number.isInteger(wanted) || wanted < 0 || wanted > cells) {
      throw new InputError(
        `Stratum ${id} has ${cells} cells; ${wanted} places cannot be drawn from it`,
        `units.${id}`,
        "Ask for fewer places.",
      );
    }
  }
}

function drawnCells(map: StratifiedMap, design: SampleDesign, random: () => number) {
  const { runs, strata } = map;
  const cells = strata.reduce((sum, one) => sum + one.cells, 0);
  const count = Math.min(cells, design.count);
  switch (design.drawing) {
    case "simple":
      return cellsAt(
        runs,
        (label) => (label === CLASS_NODATA ? null : 0),
        new Map([[0, someOf(cells, count, random)]]),
      );
    case "systematic":
      return latticeCells(runs, cells, count, random);
    default: {
      requireRoom(map, design);
      const wanted = strata.map((stratum): [number, number[]] => [
        stratum.id,
        someOf(stratum.cells, design.units[stratum.id] ?? 0, random),
      ]);
      return cellsAt(runs, (label) => (label === CLASS_NODATA ? null : label), new Map(wanted));
    }
  }
}

/**
 * Places of a map, drawn by a seed: from each stratum so many, each of its cells as likely as any other;
 * from the whole map; or on a square lattice that begins at random. The same seed gives the same places.
 * @returns in an order that says nothing of what they are
 * @throws InputError where a stratum is asked for more than it has, or nothing is asked for
 */
export function drawPlaces(map: StratifiedMap, design: SampleDesign): DrawnPlace[] {
  const random = randomFrom(design.seed);
  const labelOf = new Map(map.strata.map(({ id, label }) => [id, label]));
  const cells = drawnCells(map, design, random);
  if (cells.length === 0) {
    throw new InputError("No place is asked for", "units", "Ask for two or more of each class.");
  }
  return shuffled(
    cells.map(({ col, row, id }) => ({ stratum: id, label: labelOf.get(id)!, col, row })),
    random,
  );
}
