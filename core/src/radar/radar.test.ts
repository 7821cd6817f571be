import { lcg } from "../testing/support";
import { fromDecibel, toDecibel } from "./decibel";
import { lee } from "./lee";
import { equivalentLooks } from "./looks";
import { refinedLee } from "./refinedLee";

/** Gamma-distributed speckle of whole looks as a mean of exponentials: mean 1, variance 1/looks. */
function speckle(n: number, looks: number, seed: number): Float32Array {
  const random = lcg(seed);
  return Float32Array.from({ length: n }, () => {
    let s = 0;
    for (let k = 0; k < looks; k++) {
      s -= Math.log(1 - random());
    }
    return s / looks;
  });
}

describe("decibel", () => {
  const decibels = (x: number[]) => {
    const out = new Float32Array(x.length);
    toDecibel(Float32Array.from(x), out);
    return out;
  };
  test("agrees with Math.log10 within 5e-6 dB from -60 to 60 dB, and within a step of the float beyond", () => {
    const random = lcg(1);
    const x = Float32Array.from({ length: 200003 }, () => 10 ** (random() * 30 - 15));
    const out = new Float32Array(x.length);
    toDecibel(x, out);
    let near = 0;
    let far = 0;
    x.forEach((value, i) => {
      const delta = Math.abs(out[i]! - 10 * Math.log10(value));
      if (Math.abs(out[i]!) < 60) {
        near = Math.max(near, delta);
      } else {
        far = Math.max(far, delta);
      }
    });
    expect(near).toBeLessThan(5e-6);
    expect(far).toBeLessThan(2e-5);
  });
  test("exact at one; a factor of four", () => {
    const [a, b] = decibels([1, 4]);
    expect(a).toBe(0);
    expect(b).toBeCloseTo(6.020599913, 6);
  });
  test("what has no decibel value is nodata", () => {
    decibels([0, -0, -1, NaN, Infinity, -Infinity, -1e-40]).forEach((value) =>
      expect(value).toBeNaN(),
    );
  });
  test("subnormal power still has one", () => {
    const x = Math.fround(1e-40);
    expect(decibels([x])[0]).toBeCloseTo(10 * Math.log10(x), 3);
  });
  test("there and back", () => {
    const a = Float32Array.from([0.001, 0.5, 1, 30, NaN]);
    const db = new Float32Array(5);
    const back = new Float32Array(5);
    toDecibel(a, db);
    fromDecibel(db, back);
    expect(db[0]).toBeCloseTo(-30, 5);
    [0, 1, 2, 3].forEach((i) => expect(back[i]! / a[i]!).toBeCloseTo(1, 5));
    expect(back[4]).toBeNaN();
  });
});

describe("Lee", () => {
  test("one window by hand", () => {
    // Values 1…9, looks 1: mean 5, variance 60/9 = 6.667; signal variance (6.667 − 25)/2 < 0, so
    // the mean.
    const src = Float32Array.from([1, 2, 3, 4, 5, 6, 7, 8, 9]);
    const out = new Float32Array(1);
    lee(src, 1, 1, 3, 1, out);
    expect(out[0]).toBe(5);
    // Looks 100: signal variance (6.6667 − 0.25)/1.01 = 6.3531, gain 0.95297; centre 5 is the mean,
    // so move it to 9.
    const b = Float32Array.from([1, 2, 3, 4, 9, 6, 7, 8, 5]);
    lee(b, 1, 1, 3, 100, out);
    expect(out[0]).toBeCloseTo(5 + 0.9529703 * 4, 4);
  });
  test("against a direct evaluation with gaps", () => {
    const w = 13;
    const h = 9;
    const src = speckle(w * h, 4, 3);
    for (const k of [0, 5, 40, 41, w * h - 1]) {
      src[k] = NaN;
    }
    const out = new Float32Array((w - 4) * (h - 4));
    lee(src, w - 4, h - 4, 5, 4, out);
    for (let r = 2; r < h - 2; r++) {
      for (let c = 2; c < w - 2; c++) {
        const values: number[] = [];
        for (let i = -2; i <= 2; i++) {
          for (let j = -2; j <= 2; j++) {
            const x = src[(r + i) * w + c + j]!;
            if (!Number.isNaN(x)) {
              values.push(x);
            }
          }
        }
        const mean = values.reduce((a, b) => a + b) / values.length;
        const vz = values.reduce((a, b) => a + (b - mean) ** 2, 0) / values.length;
        const vx = Math.max(0, (vz - mean * mean * 0.25) / 1.25);
        const z = src[r * w + c]!;
        const expected = Number.isNaN(z) ? NaN : mean + (vx / vz) * (z - mean);
        const got = out[(r - 2) * (w - 4) + c - 2]!;
        if (Number.isNaN(expected)) {
          expect(got).toBeNaN();
        } else {
          expect(got).toBeCloseTo(expected, 5);
        }
      }
    }
  });
});

describe.each([
  ["Lee 7", (s: Float32Array, w: number, h: number, out: Float32Array) => lee(s, w, h, 7, 4, out)],
  [
    "refined Lee",
    (s: Float32Array, w: number, h: number, out: Float32Array) => refinedLee(s, w, h, 4, out),
  ],
] as const)("%s on an even field", (_n, filter) => {
  test("keeps the mean within 0.1 dB and raises the looks", () => {
    const w = 206;
    const src = speckle(w * w, 4, 7);
    const out = new Float32Array(200 * 200);
    filter(src, 200, 200, out);
    const mean = (a: Float32Array) => a.reduce((s, value) => s + value, 0) / a.length;
    expect(Math.abs(10 * Math.log10(mean(out) / mean(src)))).toBeLessThan(0.1);
    expect(equivalentLooks(src)).toBeGreaterThan(3.8);
    expect(equivalentLooks(src)).toBeLessThan(4.2);
    expect(equivalentLooks(out)).toBeGreaterThan(20);
  });
});

describe("refined Lee", () => {
  test("against a direct evaluation, with gaps and a stripe between strips", () => {
    // Wider and higher than a strip of the fast version; every cell is compared with sums over its
    // own 7 x 7 window.
    const w = 1006;
    const h = 96;
    const src = speckle(w * h, 4, 13).map(
      (value, i) => value * (((i % w) / 9 + Math.floor(i / w) / 5) % 2 < 1 ? 0.05 : 0.4),
    );
    const out = new Float32Array((w - 6) * (h - 6));
    for (let k = 0; k < 900; k++) {
      src[(k * 7919) % src.length] = NaN;
    }
    refinedLee(src, w - 6, h - 6, 4, out);
    const inside = [
      (_r: number, c: number) => c >= 0,
      (r: number, c: number) => c - r >= 0,
      (r: number) => r <= 0,
      (r: number, c: number) => c + r <= 0,
    ];
    const meanOf = (
      r: number,
      c: number,
      keep: (i: number, j: number) => boolean,
      reach: number,
    ) => {
      const values: number[] = [];
      for (let i = -reach; i <= reach; i++) {
        for (let j = -reach; j <= reach; j++) {
          const x = src[(r + i) * w + c + j]!;
          if (keep(i, j) && !Number.isNaN(x)) {
            values.push(x);
          }
        }
      }
      const m = values.reduce((a, b) => a + b, 0) / values.length;
      return { m, v: values.reduce((a, b) => a + (b - m) ** 2, 0) / values.length };
    };
    let worst = 0;
    let undecided = 0;
    for (let r = 3; r < h - 3; r++) {
      for (let c = 3; c < w - 3; c++) {
        const z = src[r * w + c]!;
        const got = out[(r - 3) * (w - 6) + c - 3]!;
        if (Number.isNaN(z)) {
          expect(got).toBeNaN();
          continue;
        }
        const mid = meanOf(r, c, () => true, 1).m;
        const sub = (i: number, j: number) => {
          const m = meanOf(r + 2 * i, c + 2 * j, () => true, 1).m;
          return Number.isNaN(m) ? mid : m;
        };
        const ends = [
          [
            [-1, 1],
            [0, 1],
            [1, 1],
          ],
          [
            [-1, 0],
            [-1, 1],
            [0, 1],
          ],
          [
            [-1, -1],
            [-1, 0],
            [-1, 1],
          ],
          [
            [0, -1],
            [-1, -1],
            [-1, 0],
          ],
        ] as [number, number][][];
        const group = ends.map((end) =>
          Math.abs(end.reduce((s, [i, j]) => s + sub(i, j) - sub(-i, -j), 0)),
        );
        const delta = group.indexOf(Math.max(...group));
        const [i, j] = ends[delta]![1]!;
        const sorted = [...group].sort((a, b) => b - a);
        const near = Math.abs(sub(i, j) - mid) - Math.abs(sub(-i, -j) - mid);
        if (sorted[0]! - sorted[1]! < 1e-9 || Math.abs(near) < 1e-9) {
          undecided++;
          continue;
        }
        const side = near > 0 ? -1 : 1;
        const { m, v: value } = meanOf(r, c, (a, b) => inside[delta]!(a * side, b * side), 3);
        const signal = Math.max(0, (value - m * m * 0.25) / 1.25);
        worst = Math.max(worst, Math.abs(got - (m + (signal / value) * (z - m))));
      }
    }
    expect(worst).toBeLessThan(1e-6);
    expect(undecided).toBeLessThan(50);
  });
  test("keeps a step edge within a cell", () => {
    // 0.02 on the left of column 60, 0.3 from there on: water beside land.
    const w = 126;
    const h = 46;
    const s = speckle(w * h, 18, 11);
    const src = Float32Array.from(s, (value, i) => value * (i % w < 63 ? 0.02 : 0.3));
    const out = new Float32Array(120 * 40);
    refinedLee(src, 120, 40, 18, out);
    const column = (c: number) => {
      let m = 0;
      for (let r = 0; r < 40; r++) {
        m += out[r * 120 + c]!;
      }
      return m / 40;
    };
    expect(column(58)).toBeLessThan(0.03);
    expect(column(61)).toBeGreaterThan(0.25);
  });
  test("uses the half window beside the edge, by hand", () => {
    // A clean vertical edge: on the dark side the half window is constant, so the result is the
    // constant.
    const w = 7;
    const src = Float32Array.from({ length: 49 }, (_v, i) => (i % w < 4 ? 1 : 10));
    const out = new Float32Array(1);
    refinedLee(src, 1, 1, 1, out);
    expect(out[0]).toBe(1);
  });
  test("a diagonal edge likewise", () => {
    const src = Float32Array.from({ length: 49 }, (_v, i) =>
      (i % 7) - Math.floor(i / 7) <= 0 ? 2 : 20,
    );
    const out = new Float32Array(1);
    refinedLee(src, 1, 1, 1, out);
    expect(out[0]).toBe(2);
  });
  test("nodata stays, and does not spread", () => {
    const src = new Float32Array(13 * 11).fill(3);
    src[5 * 13 + 6] = NaN;
    src[0] = NaN;
    const out = new Float32Array(7 * 5);
    refinedLee(src, 7, 5, 4, out);
    expect(out[2 * 7 + 3]).toBeNaN();
    expect([...out].filter((value) => value === 3)).toHaveLength(34);
  });
});
