import { lcg } from "../testing/support";
import { polygonise } from "../patches/polygonise";
import { runsOf } from "../patches/runs";
import type { MultiPolygon, Position } from "../vector/polygons";
import { rasteriseSpans } from "../vector/rasterise";
import { cellGrid } from "./cells";
import { areaInCells, intersection } from "./clip";
import { InputError } from "../errors";
import { type EditOutcome, type EditedPatch, cut, laid, laying, merged } from "./edits";
import { paint } from "./paint";

const size = { width: 60, height: 50 };
const whole = { col: 0, row: 0, ...size };

/** A map of blobs in two classes, and its patches. */
function aMap(random: () => number): { labels: Uint8Array; patches: EditedPatch[] } {
  const blobs = Array.from({ length: 14 }, () => ({
    x: random() * size.width,
    y: random() * size.height,
    r: 2 + random() * 7,
    label: random() < 0.5 ? 1 : 2,
  }));
  const labels = new Uint8Array(size.width * size.height).map((_v, k) => {
    const [col, row] = [(k % size.width) + 0.5, Math.floor(k / size.width) + 0.5];
    return blobs.find(({ x, y, r }) => Math.hypot(col - x, row - y) < r)?.label ?? 0;
  });
  const shapes = polygonise(runsOf(labels, size.width, size.height), 8);
  return {
    labels,
    patches: shapes.map(({ label, polygons }, k) => ({ number: k + 1, label, polygons })),
  };
}

/** The patch of each cell by the rule of centres; −1 where two have it. */
function ownersOf(patches: readonly EditedPatch[]): Int32Array {
  const owners = new Int32Array(size.width * size.height);
  for (const { number, polygons } of patches) {
    rasteriseSpans(polygons, cellGrid(size), whole, (row, from, to) => {
      for (let cell = row * size.width + from; cell < row * size.width + to; cell++) {
        owners[cell] = owners[cell] === 0 ? number : -1;
      }
    });
  }
  return owners;
}

/** Something done to patches as a person might, by chance. */
function anEdit(patches: readonly EditedPatch[], random: () => number): EditOutcome {
  const any = () => patches[Math.floor(random() * patches.length)]!;
  const manner = { isSnapped: random() < 0.5, isTaking: random() < 0.7 };
  const place = (): Position => [random() * size.width, random() * size.height];
  const around = (): MultiPolygon => {
    const [x, y] = place();
    const ring = Array.from({ length: 3 + Math.floor(random() * 5) }, (_v, k, n = 7): Position => {
      const [turn, reach] = [(2 * Math.PI * k) / n, 2 + random() * 12];
      return [x + reach * Math.cos(turn), y + reach * Math.sin(turn)];
    });
    return [[[...ring, ring[0]!]]];
  };
  const kind = Math.floor(random() * 4);
  if (kind === 0) {
    const ground = laying({ label: 1, polygons: around() }, null, manner, size);
    return laid(ground, patches, manner, size);
  }
  if (kind === 1) {
    return cut(any(), [place(), place(), place()], manner, size);
  }
  if (kind === 2) {
    const [one, other] = [any(), any()];
    return merged(one === other ? [one] : [one, other], size);
  }
  const patch = any();
  const at = Math.floor(random() * (patch.polygons[0]![0]!.length - 1));
  const polygons = patch.polygons.map((rings, which) =>
    rings.map((ring, r) => {
      const open = ring.slice(0, -1).map((corner, k): Position => {
        const by: Position =
          which === 0 && r === 0 && k === at ? [random() * 8 - 4, random() * 8 - 4] : [0, 0];
        return [corner[0] + by[0], corner[1] + by[1]];
      });
      return [...open, open[0]!];
    }),
  );
  return laid(laying({ label: patch.label, polygons }, patch, manner, size), patches, manner, size);
}

test.each(Array.from({ length: 20 }, (_v, k) => k + 1))(
  "after any edits no patches overlap, none is under a cell: seed %i",
  (seed) => {
    const random = lcg(seed);
    const { labels, patches: written } = aMap(random);
    let patches = written;
    let next = written.length + 1;
    let done = 0;
    for (let k = 0; k < 60; k++) {
      try {
        const { gone, made } = anEdit(patches, random);
        const laidNow = made.map(({ label, polygons }) => ({ number: next++, label, polygons }));
        patches = [...patches.filter(({ number }) => !gone.includes(number)), ...laidNow];
        done++;
      } catch (error) {
        expect(error).toBeInstanceOf(InputError);
      }
    }
    expect(done).toBeGreaterThan(20);
    const owners = ownersOf(patches);
    expect(owners.includes(-1)).toBe(false);
    for (const { number, polygons } of patches) {
      for (const part of polygons) {
        expect(areaInCells([part])).toBeGreaterThanOrEqual(1 - 1e-6);
      }
      // Sides that were drawn freely are shared to a step of the lattice.
      const others = patches.filter((one) => one.number > number);
      for (const other of others) {
        expect(areaInCells(intersection(polygons, other.polygons))).toBeLessThan(0.02);
      }
    }
    // The classes that are painted are those of the patches, cell by cell.
    const painted = Uint8Array.from(labels);
    const there = new Set(patches.map(({ number }) => number));
    const gone = written.filter(({ number }) => !there.has(number));
    const made = patches.filter(({ number }) => number > written.length);
    paint(
      { erased: gone.map(({ polygons }) => polygons), laid: made },
      whole,
      { size, level: 0 },
      { labels: painted },
    );
    const labelOf = new Map(patches.map(({ number, label }) => [number, label]));
    expect([...painted]).toEqual([...owners].map((owner) => labelOf.get(owner) ?? 0));
  },
);
