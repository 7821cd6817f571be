import { CLASS_NODATA } from "../raster/block";
import type { CellAreas } from "../grid/area";
import { type Runs, runEnd } from "./runs";
import { labelRuns } from "./label";

/** Closed ring of cell corners as column, row pairs; the first point is repeated at the end. */
export type Ring = [number, number][];
/**
 * One patch: its label, its size in cells and on the ellipsoid (0 when no cell areas were given),
 * and polygons whose first
 * ring is the shell and the others holes.
 */
export interface PatchShape {
  label: number;
  cells: number;
  areaM2: number;
  polygons: Ring[][];
}

/**
 * Outlines of all patches of labels 1–254, along cell sides.
 *
 * Shells run counter-clockwise and holes clockwise as seen with north up (rows count downwards), as
 * RFC 7946 wants. No
 * ring touches itself: where it would meet one of its own corners again it is split there, so cells
 * that meet only in a
 * corner come out as separate polygons of one patch (8 neighbours) or as separate patches (4
 * neighbours). The sum of
 * polygon areas in cells equals the number of cells exactly.
 */
export function polygonise(
  runs: Runs,
  neighbours: 4 | 8,
  areas: CellAreas | null = null,
): PatchShape[] {
  const { width, height, rows, starts, labels } = runs;
  const parts = labelRuns(runs, 4);
  const whole = neighbours === 8 ? labelRuns(runs, 8) : parts;
  // Rows around the one being traced are expanded once and kept; boundary following asks only for
  // equality of labels.
  const cells = new Uint8Array(width * height);
  for (let r = 0; r < height; r++) {
    for (let i = rows[r]!; i < rows[r + 1]!; i++) {
      cells.fill(labels[i]!, r * width + starts[i]!, r * width + runEnd(runs, i, r));
    }
  }
  const shells = new Map<number, Ring>();
  const holes = new Map<number, Ring[]>();
  const tracer = new Tracer(cells, width, height);

  for (let r = 0; r < height; r++) {
    for (let i = rows[r]!; i < rows[r + 1]!; i++) {
      const label = labels[i]!;
      if (label === 0 || label === CLASS_NODATA) {
        continue;
      }
      for (let c = starts[i]!, end = runEnd(runs, i, r); c < end; c++) {
        // Every ring has an upper side somewhere: start at each upper side not yet walked.
        if ((r > 0 && cells[(r - 1) * width + c] === label) || tracer.walked(c, r)) {
          continue;
        }
        const part = parts.patchOfRun[i]!;
        for (const ring of splitAtRepeats(tracer.trace(c, r))) {
          if (signedArea(ring) > 0) {
            shells.set(part, ring);
          } else {
            const h = holes.get(part);
            if (h) {
              h.push(ring);
            } else {
              holes.set(part, [ring]);
            }
          }
        }
      }
    }
  }

  const out = new Map<number, PatchShape>();
  const seen = new Set<number>();
  for (let i = 0; i < starts.length; i++) {
    const label = labels[i]!;
    const part = parts.patchOfRun[i]!;
    if (label === 0 || label === CLASS_NODATA || seen.has(part)) {
      continue;
    }
    seen.add(part);
    const id = whole.patchOfRun[i]!;
    let shape = out.get(id);
    if (!shape) {
      shape = { label, cells: whole.sizes[id]!, areaM2: 0, polygons: [] };
      out.set(id, shape);
    }
    shape.polygons.push([shells.get(part)!, ...(holes.get(part) ?? [])]);
  }
  if (areas) {
    for (let r = 0; r < height; r++) {
      for (let i = rows[r]!; i < rows[r + 1]!; i++) {
        const shape = out.get(whole.patchOfRun[i]!);
        if (shape) {
          shape.areaM2 += areas.run(r, starts[i]!, runEnd(runs, i, r));
        }
      }
    }
  }
  return [...out.values()];
}

/** Area enclosed by a ring in cells, positive when counter-clockwise with north up. */
export function signedArea(ring: Ring): number {
  let s = 0;
  for (let i = 0; i + 1 < ring.length; i++) {
    s += ring[i + 1]![0] * ring[i]![1] - ring[i]![0] * ring[i + 1]![1];
  }
  return s / 2;
}

/**
 * Follows the sides of one label with the patch on the left hand (north up). Directions: 0 west, 1
 * south, 2 east, 3 north.
 */
class Tracer {
  private readonly done: Uint8Array;
  constructor(
    private readonly cells: Uint8Array,
    private readonly width: number,
    private readonly height: number,
  ) {
    this.done = new Uint8Array((width * height + 7) >> 3);
  }

  walked(c: number, r: number): boolean {
    const k = r * this.width + c;
    return (this.done[k >> 3]! & (1 << (k & 7))) !== 0;
  }

  private same(c: number, r: number, value: number): boolean {
    return (
      c >= 0 &&
      r >= 0 &&
      c < this.width &&
      r < this.height &&
      this.cells[r * this.width + c] === value
    );
  }

  /** Ring from the upper side of cell (c0, r0), walked westwards; corners only, not closed. */
  trace(c0: number, r0: number): Ring {
    const value = this.cells[r0 * this.width + c0]!;
    const ring: Ring = [];
    let c = c0;
    let r = r0;
    let direction = 0;
    // (c, r) is the cell on the left hand; d the direction walked along its side.
    do {
      if (direction === 0) {
        const k = r * this.width + c;
        this.done[k >> 3]! |= 1 << (k & 7);
      }
      // Ahead on the left hand and ahead on the right hand, seen from the end of the side.
      const ac = c + AHEAD_LEFT.columns[direction]!;
      const ar = r + AHEAD_LEFT.rows[direction]!;
      const bc = c + AHEAD_RIGHT.columns[direction]!;
      const br = r + AHEAD_RIGHT.rows[direction]!;
      if (!this.same(ac, ar, value)) {
        ring.push(this.corner(c, r, direction));
        direction = (direction + 1) & 3;
      } else if (this.same(bc, br, value)) {
        ring.push(this.corner(c, r, direction));
        c = bc;
        r = br;
        direction = (direction + 3) & 3;
      } else {
        c = ac;
        r = ar;
      }
    } while (c !== c0 || r !== r0 || direction !== 0);
    return ring;
  }

  /** Corner at the end of the side of cell (c, r) walked in direction d. */
  private corner(c: number, r: number, direction: number): [number, number] {
    if (direction === 0) {
      return [c, r];
    }
    if (direction === 1) {
      return [c, r + 1];
    }
    if (direction === 2) {
      return [c + 1, r + 1];
    }
    return [c + 1, r];
  }
}

/**
 * From a cell to the one ahead of it and to the one ahead on its right hand, by direction walked:
 * west, south, east, north.
 */
const AHEAD_LEFT = { columns: [-1, 0, 1, 0], rows: [0, 1, 0, -1] } as const;
const AHEAD_RIGHT = { columns: [-1, -1, 1, 1], rows: [-1, 1, 1, -1] } as const;

/** Cuts an open ring into simple closed rings wherever a corner occurs a second time. */
function splitAtRepeats(ring: Ring): Ring[] {
  const key = (point: [number, number]) => point[0] * 4294967296 + point[1];
  const at = new Map<number, number>();
  const stack: Ring = [];
  const out: Ring[] = [];
  for (const point of [...ring, ring[0]!]) {
    const k = at.get(key(point));
    if (k !== undefined) {
      const loop = stack.splice(k);
      for (const other of loop) {
        at.delete(key(other));
      }
      loop.push(point);
      if (loop.length > 3) {
        out.push(loop);
      }
    }
    at.set(key(point), stack.length);
    stack.push(point);
  }
  return out;
}
