import { CLASS_NODATA } from "../raster/block";
import { lcg } from "../testing/support";
import { labelRuns } from "./label";
import { polygonise, signedArea } from "./polygonise";
import { fillWindow, runAt, runsOf } from "./runs";
import { fillHoles } from "./holes";
import { majority } from "./majority";
import { sieve } from "./sieve";

const grid = (rows: string): { cells: Uint8Array; width: number; height: number } => {
  const lines = rows
    .trim()
    .split("\n")
    .map((level) => level.trim());
  return {
    width: lines[0]!.length,
    height: lines.length,
    cells: Uint8Array.from(
      lines
        .join("")
        .split("")
        .map((c) => {
          if (c === ".") {
            return 0;
          }
          if (c === "#") {
            return CLASS_NODATA;
          }
          return Number(c);
        }),
    ),
  };
};
const text = (cells: Uint8Array, width: number) =>
  Array.from(cells, (value) => {
    if (value === 0) {
      return ".";
    }
    if (value === CLASS_NODATA) {
      return "#";
    }
    return String(value);
  })
    .join("")
    .match(new RegExp(`.{${width}}`, "g"))!
    .join("\n");
const expand = (runs: ReturnType<typeof runsOf>) => {
  const out = new Uint8Array(runs.width * runs.height);
  fillWindow(runs, 0, 0, runs.width, runs.height, out);
  return out;
};

function random(
  width: number,
  height: number,
  kinds: number[],
  seed: number,
  smooth = 0,
): Uint8Array {
  const next = lcg(seed);
  let a = Uint8Array.from(
    { length: width * height },
    () => kinds[Math.floor(next() * kinds.length)]!,
  );
  for (let k = 0; k < smooth; k++) {
    a = a.map((value, i) =>
      next() < 0.6 && i > 0 ? a[i % 2 ? i - 1 : Math.max(0, i - width)]! : value,
    );
  }
  return a;
}

/** Cells that touch a cell: by a side, or by a corner too. */
const around = (c: number, r: number, n: 4 | 8): [number, number][] =>
  [-1, 0, 1]
    .flatMap((dr) => [-1, 0, 1].map((dc): [number, number] => [dc, dr]))
    .filter(([dc, dr]) => (dc !== 0 || dr !== 0) && (n === 8 || dc === 0 || dr === 0))
    .map(([dc, dr]) => [c + dc, r + dr]);

/** Flood fill, one cell at a time: an independent labelling. */
function floodFill(cells: Uint8Array, w: number, h: number, n: 4 | 8): Int32Array {
  const id = new Int32Array(w * h).fill(-1);
  let next = 0;
  for (let s = 0; s < w * h; s++) {
    if (id[s] !== -1) {
      continue;
    }
    const stack = [s];
    id[s] = next;
    while (stack.length) {
      const k = stack.pop()!;
      const c = k % w;
      const r = (k - c) / w;
      for (const [cc, rr] of around(c, r, n)) {
        const m = rr * w + cc;
        if (cc >= 0 && rr >= 0 && cc < w && rr < h && id[m] === -1 && cells[m] === cells[k]) {
          id[m] = next;
          stack.push(m);
        }
      }
    }
    next++;
  }
  return id;
}

describe("runs", () => {
  test("there and back, also by windows that reach outside", () => {
    const cells = random(37, 23, [0, 1, 2, 255], 1, 2);
    const runs = runsOf(cells, 37, 23);
    expect(expand(runs)).toEqual(cells);
    const out = new Uint8Array(10 * 9);
    fillWindow(runs, -3, 18, 10, 9, out);
    for (let r = 0; r < 9; r++) {
      for (let c = 0; c < 10; c++) {
        expect(out[r * 10 + c]).toBe(c < 3 || r > 4 ? 255 : cells[(18 + r) * 37 + c - 3]);
      }
    }
    expect(runs.labels[runAt(runs, 7, 30)]).toBe(cells[7 * 37 + 30]);
  });
});

describe("labelling", () => {
  test.each([
    [4, 11, 0],
    [8, 12, 0],
    [4, 13, 3],
    [8, 14, 3],
  ] as const)("%s neighbours equals a flood fill (seed %s)", (n, seed, smooth) => {
    const w = 61;
    const h = 43;
    const cells = random(w, h, [0, 1, 2, 255], seed, smooth);
    const runs = runsOf(cells, w, h);
    const labelling = labelRuns(runs, n);
    const id = floodFill(cells, w, h, n);
    const pairs = new Map<number, number>();
    for (let k = 0; k < w * h; k++) {
      const position = labelling.patchOfRun[runAt(runs, Math.floor(k / w), k % w)]!;
      if (!pairs.has(position)) {
        pairs.set(position, id[k]!);
      }
      expect(pairs.get(position)).toBe(id[k]);
    }
    expect(new Set(pairs.values()).size).toBe(labelling.count);
    expect(labelling.sizes.reduce((a, b) => a + b)).toBe(w * h);
  });
});

describe("holes", () => {
  const filled = (rows: string, most: number, n: 4 | 8) => {
    const group = grid(rows);
    const { runs, changed } = fillHoles(runsOf(group.cells, group.width, group.height), most, n);
    return [text(expand(runs), group.width), changed];
  };
  test("ground that a class encloses takes it, up to the size; what is open to the edge, to nodata or larger stays", () => {
    expect(
      filled(
        `
      1111111
      1.11..1
      1111..1
      .11#111
      11.1.11`,
        3,
        8,
      ),
    ).toEqual(["1111111\n1111..1\n1111..1\n.11#111\n11.1.11", 1]);
    expect(
      filled(
        `
      11111
      1.#11
      11111`,
        5,
        8,
      ),
    ).toEqual(["11111\n1.#11\n11111", 0]);
  });
  test("the class most frequent along its border fills it; corners open a hole only where patches hang together by sides", () => {
    expect(
      filled(
        `
      2222
      2.12
      2.12
      2222`,
        4,
        8,
      ),
    ).toEqual(["2222\n2212\n2212\n2222", 2]);
    const ring = `
      .11.
      1..1
      1..1
      .11.`;
    expect(filled(ring, 9, 8)).toEqual([".11.\n1111\n1111\n.11.", 4]);
    expect(filled(ring, 9, 4)[1]).toBe(0);
  });
});

test("majority equals counting every window; ties keep the own class, nodata stays and counts for nothing", () => {
  const unit = lcg(12);
  const w = 17;
  const h = 11;
  const half = 2;
  const width = w + 2 * half;
  const src = new Uint8Array(width * (h + 2 * half)).fill(CLASS_NODATA);
  const out = new Uint8Array(w * h);
  for (let r = 0; r < h; r++) {
    for (let c = 0; c < w; c++) {
      src[(r + half) * width + c + half] = unit() < 0.06 ? CLASS_NODATA : Math.floor(unit() * 4);
    }
  }
  majority(src, w, h, half, out);
  for (let r = 0; r < h; r++) {
    for (let c = 0; c < w; c++) {
      const n = new Map<number, number>();
      const own = src[(r + half) * width + c + half]!;
      for (let y = 0; y <= 2 * half; y++) {
        for (let x = 0; x <= 2 * half; x++) {
          const value = src[(r + y) * width + c + x]!;
          if (value !== CLASS_NODATA) {
            n.set(value, (n.get(value) ?? 0) + 1);
          }
        }
      }
      const most = Math.max(...n.values());
      const best = [...n]
        .filter(([, k]) => k === most)
        .map(([value]) => value)
        .sort((a, b) => a - b);
      const stays = own === CLASS_NODATA || best.includes(own);
      expect(out[r * w + c]).toBe(stays ? own : best[0]);
    }
  }
});

describe("minimum patch", () => {
  test("a speck takes its surroundings, a patch of the size stays", () => {
    const group = grid(`
      ......
      .1..22
      ....22
      ......`);
    expect(text(expand(sieve(runsOf(group.cells, group.width, group.height), 4, 8).runs), 6)).toBe(
      "......\n....22\n....22\n......",
    );
  });
  test("the class most frequent along the border, nodata never", () => {
    const group = grid(`
      22####
      213###
      22####`);
    // 1 borders three sides of 2 and one of 3; 3 alone borders 1 (under size too) and nodata, so it
    // waits for 1 and follows it.
    expect(text(expand(sieve(runsOf(group.cells, 6, 3), 3, 4).runs), 6)).toBe(
      "22####\n222###\n22####",
    );
  });
  test("corner neighbours join only with 8", () => {
    const group = grid(`
      1...
      .1..
      ..1.
      ....`);
    expect(text(expand(sieve(runsOf(group.cells, 4, 4), 3, 8).runs), 4)).toBe(
      "1...\n.1..\n..1.\n....",
    );
    expect(sieve(runsOf(group.cells, 4, 4), 3, 4).changed).toBe(3);
  });
  test("an island of specks in nodata becomes no class", () => {
    const group = grid(`
      ####
      #12#
      ####`);
    expect(text(expand(sieve(runsOf(group.cells, 4, 3), 3, 4).runs), 4)).toBe("####\n#..#\n####");
  });
  test.each([
    [4, 21],
    [8, 22],
    [8, 23],
  ] as const)(
    "equals a cell-by-cell version (%s neighbours, seed %s), and none under size is left",
    (n, seed) => {
      const w = 48;
      const h = 37;
      const min = 5;
      const cells = random(w, h, [0, 0, 1, 2, 3, 255], seed, 2);
      const got = expand(sieve(runsOf(cells, w, h), min, n).runs);
      // Cell by cell: the published rule with the readings stated in sieve.ts.
      let a = cells.slice();
      for (;;) {
        const id = floodFill(a, w, h, n);
        const size = new Map<number, number>();
        id.forEach((position) => size.set(position, (size.get(position) ?? 0) + 1));
        const small = (k: number) => a[k] !== 0 && a[k] !== 255 && size.get(id[k]!)! < min;
        const votes = new Map<number, number[]>();
        for (let k = 0; k < w * h; k++) {
          if (!small(k)) {
            continue;
          }
          if (!votes.has(id[k]!)) {
            votes.set(id[k]!, new Array<number>(256).fill(0));
          }
          const c = k % w;
          for (const m of [c > 0 ? k - 1 : -1, c < w - 1 ? k + 1 : -1, k - w, k + w]) {
            if (m < 0 || m >= w * h || id[m] === id[k] || a[m] === 255 || small(m)) {
              continue;
            }
            votes.get(id[k]!)![a[m]!]!++;
          }
        }
        if (votes.size === 0) {
          break;
        }
        const any = [...votes.values()].some((vote) => vote.some((x) => x > 0));
        a = a.map((value, k) => {
          const vote = votes.get(id[k]!);
          if (!vote) {
            return value;
          }
          if (!any) {
            return 0;
          }
          const most = Math.max(...vote);
          return most > 0 ? vote.indexOf(most) : value;
        });
      }
      expect(text(got, w)).toBe(text(a, w));
      const labelling = labelRuns(runsOf(got, w, h), n);
      const runs = runsOf(got, w, h);
      runs.labels.forEach((label, i) => {
        if (label !== 0 && label !== 255) {
          expect(labelling.sizes[labelling.patchOfRun[i]!]).toBeGreaterThanOrEqual(min);
        }
      });
    },
  );
});

describe("polygons", () => {
  test("a square with a hole, by hand", () => {
    const group = grid(`
      .....
      .111.
      .1.1.
      .111.
      .....`);
    const [shape] = polygonise(runsOf(group.cells, 5, 5), 8);
    expect(shape).toMatchObject({ label: 1, cells: 8 });
    expect(shape!.polygons).toHaveLength(1);
    expect(shape!.polygons[0]![0]).toHaveLength(5);
    expect(signedArea(shape!.polygons[0]![0]!)).toBe(9);
    expect(signedArea(shape!.polygons[0]![1]!)).toBe(-1);
  });
  test("corner contact: two polygons of one patch with 8 neighbours, two patches with 4", () => {
    const group = grid(`
      1.
      .1`);
    expect(polygonise(runsOf(group.cells, 2, 2), 8).map((shape) => shape.polygons.length)).toEqual([
      2,
    ]);
    expect(polygonise(runsOf(group.cells, 2, 2), 4).map((shape) => shape.polygons.length)).toEqual([
      1, 1,
    ]);
  });
  test("a ring that would meet itself is split into shell and hole", () => {
    const group = grid(`
      111
      1.1
      11.`);
    const [shape] = polygonise(runsOf(group.cells, 3, 3), 4);
    expect(shape!.polygons[0]!.map(signedArea)).toEqual([8, -1]);
  });
  test.each([
    [4, 31],
    [8, 32],
    [4, 33],
    [8, 34],
  ] as const)(
    "random maps (%s neighbours, seed %s): areas equal cell counts, rings are simple, shells hold their holes",
    (n, seed) => {
      const w = 53;
      const h = 41;
      const cells = random(w, h, [0, 1, 2, 255], seed, 2);
      const patches = polygonise(runsOf(cells, w, h), n);
      const id = floodFill(cells, w, h, n);
      const wanted = new Set([...id].filter((_p, k) => cells[k] !== 0 && cells[k] !== 255));
      expect(patches).toHaveLength(wanted.size);
      const back = new Int32Array(w * h).fill(-1);
      patches.forEach((patch, i) => {
        let area = 0;
        for (const poly of patch.polygons) {
          poly.forEach((ring, k) => {
            const a = signedArea(ring);
            area += a;
            expect(k === 0 ? a > 0 : a < 0).toBe(true);
            expect(ring[0]).toEqual(ring[ring.length - 1]);
            expect(new Set(ring.map(String)).size).toBe(ring.length - 1);
            ring
              .slice(1)
              .forEach((query, m) =>
                expect((query[0] === ring[m]![0]) !== (query[1] === ring[m]![1])).toBe(true),
              );
          });
        }
        expect(area).toBe(patch.cells);
        // Even–odd test of every cell centre: the polygons hold exactly the cells of one patch.
        for (let k = 0; k < w * h; k++) {
          const x = (k % w) + 0.5;
          const y = Math.floor(k / w) + 0.5;
          let inside = false;
          for (const poly of patch.polygons) {
            for (const ring of poly) {
              for (let m = 0; m + 1 < ring.length; m++) {
                const [x0, y0] = ring[m]!;
                const [x1, y1] = ring[m + 1]!;
                if (x0 === x1 && x0 > x && y0 > y !== y1 > y) {
                  inside = !inside;
                }
              }
            }
          }
          if (inside) {
            expect(back[k]).toBe(-1);
            back[k] = i;
            expect(cells[k]).toBe(patch.label);
          }
        }
      });
      for (let k = 0; k < w * h; k++) {
        expect(back[k]! >= 0).toBe(cells[k] !== 0 && cells[k] !== 255);
      }
    },
  );
});
