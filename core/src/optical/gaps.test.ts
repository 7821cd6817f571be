import { node, sourceNode } from "../change/setup";
import { utm } from "../geodesy/crs";
import { Evaluator } from "../graph/evaluator";
import type { ImageInfo } from "../graph/image";
import { northUp } from "../grid/grid";
import { lcg, memorySources } from "../testing/support";
import { GAP_REACH, enclosed, fillFromDate, fillFromNeighbours, reachOut } from "./gaps";

const W = 61;
const H = 47;
test("how far the next valid cell lies, against a walk cell by cell", () => {
  const u = lcg(3);
  const valid = Uint8Array.from({ length: W * H }, () => (u() < 0.06 ? 1 : 0));
  const far = reachOut(valid, W, H);
  const lines = [
    [1, 0],
    [-1, 0],
    [0, 1],
    [0, -1],
    [1, 1],
    [-1, -1],
    [1, -1],
    [-1, 1],
  ] as const;
  for (let r = 0; r < H; r += 5) {
    for (let c = 0; c < W; c += 3) {
      lines.forEach(([dc, dr], k) => {
        let want = 0;
        for (let n = 1; n <= GAP_REACH && !want; n++) {
          const cc = c + n * dc;
          const rr = r + n * dr;
          if (cc < 0 || rr < 0 || cc >= W || rr >= H) {
            break;
          }
          if (valid[rr * W + cc]) {
            want = n;
          }
        }
        expect(far[k]![r * W + c]).toBe(want);
      });
    }
  }
});
test("outside of a frame is no gap", () => {
  const valid = new Uint8Array(W * H);
  for (let r = 10; r < 40; r++) {
    for (let c = 12; c < 50; c++) {
      valid[r * W + c] = c === 30 || c === 31 ? 0 : 1;
    }
  }
  const far = reachOut(valid, W, H);
  expect([
    enclosed(far, 20 * W + 30),
    enclosed(far, 20 * W + 11),
    enclosed(far, 5 * W + 30),
    enclosed(far, 9 * W + 11),
  ]).toEqual([true, false, false, false]);
});
test("neighbours: a plane comes back exactly, and an edge stays an edge", () => {
  const plane = Float32Array.from(
    { length: W * H },
    (_v, i) => 0.1 + 0.002 * (i % W) + 0.001 * Math.floor(i / W),
  );
  const step = Float32Array.from({ length: W * H }, (_v, i) => (i % W < 30 ? 0.1 : 0.4));
  const gaps = new Uint8Array(W * H);
  const valid = new Uint8Array(W * H).fill(1);
  for (let c = 0; c < W; c++) {
    for (const r of [20, 21, 22]) {
      gaps[r * W + c] = 1;
      valid[r * W + c] = 0;
    }
  }
  const holed = (b: Float32Array) => b.map((v, i) => (gaps[i] ? NaN : v));
  const far = reachOut(valid, W, H);
  const run = (b: Float32Array) => {
    const out = holed(b).slice();
    const filled = new Uint8Array(W * H);
    fillFromNeighbours([holed(b)], gaps, far, W, [out], filled);
    return { out, filled };
  };
  const p = run(plane);
  const s = run(step);
  for (let c = 2; c < W - 2; c++) {
    expect(p.filled[21 * W + c]).toBe(1);
    expect(p.out[21 * W + c]).toBeCloseTo(plane[21 * W + c]!, 6);
    expect(Math.abs(s.out[21 * W + c]! - step[21 * W + c]!)).toBeLessThan(0.05);
  }
});
test("another date: gain and offset of the surroundings, whatever they are", () => {
  const u = lcg(8);
  const filler = Float32Array.from({ length: W * H }, () => 4000 + 3000 * u());
  const target = filler.map((v, i) => (i % W < 10 ? NaN : 1.4 * v - 700));
  const gaps = Uint8Array.from({ length: W * H }, (_v, i) => (Math.floor(i / W) % 12 < 4 ? 1 : 0));
  const seen = target.map((v, i) => (gaps[i] ? NaN : v));
  const out = seen.slice();
  const filled = new Uint8Array(W * H);
  fillFromDate(seen, filler, gaps, W, H, out, filled);
  const at = 13 * W + 40;
  const lonely = 13 * W + 1;
  expect([filled[at], filled[20 * W + 40]]).toEqual([1, 0]);
  expect(Math.abs(out[at]! - target[at]!)).toBeLessThan(0.5);
  // Where hardly anything is common, the level is taken over at the most.
  expect(filled[lonely] === 0 || Number.isFinite(out[lonely]!)).toBe(true);
});
test("a gain beyond three is not believed: the level alone is shifted", () => {
  const u = lcg(4);
  const filler = Float32Array.from({ length: W * H }, () => 0.2 + 0.001 * u());
  const target = filler.map((v) => 100 * v);
  const gaps = new Uint8Array(W * H);
  const out = target.slice();
  const filled = new Uint8Array(W * H);
  const at = 23 * W + 30;
  gaps[at] = 1;
  target[at] = NaN;
  fillFromDate(target, filler, gaps, W, H, out, filled);
  let st = 0;
  let sf = 0;
  let n = 0;
  for (let r = 15; r <= 31; r++) {
    for (let c = 22; c <= 38; c++) {
      const i = r * W + c;
      if (i !== at) {
        st += target[i]!;
        sf += filler[i]!;
        n++;
      }
    }
  }
  expect(out[at]).toBeCloseTo(st / n + filler[at]! - sf / n, 5);
});
test("as a step: filled cells are marked, cloud stays out, block by block like the whole", async () => {
  const grid = northUp(utm(27, true), 0, 0, 30, 30, W, H);
  const info: ImageInfo = {
    grid,
    type: "float32",
    bands: [
      { name: "B4", unit: "", role: "reflectance", wavelengthNm: 655 },
      { name: "quality", unit: "", role: "quality" },
    ],
    optical: { level: 1, sunElevationDeg: 50, sunAzimuthDeg: 0 },
  };
  const u = lcg(5);
  const full = Float32Array.from({ length: W * H }, () => 0.1 + 0.1 * u());
  const bits = new Float32Array(W * H).fill(64);
  const light = full.slice();
  for (let c = 0; c < W; c++) {
    light[30 * W + c] = NaN;
    bits[30 * W + c] = 1;
  }
  light[10 * W + 10] = NaN;
  bits[10 * W + 10] = 8;
  const e = new Evaluator({
    sources: memorySources({
      a: { info, bands: [light, bits] },
      b: { info, bands: [full.map((v) => 2 * v), new Float32Array(W * H).fill(64)] },
    }),
  });
  const n = node("optical.gaps", { masked: false }, sourceNode("a"), sourceNode("b"));
  const whole = (await e.read(n, 0, { col: 0, row: 0, width: W, height: H }))
    .bands as Float32Array[];
  const part = (await e.read(n, 0, { col: 20, row: 28, width: 9, height: 5 }))
    .bands as Float32Array[];
  expect([whole[2]![30 * W + 25], whole[2]![10 * W + 10], whole[2]![0]]).toEqual([1, 0, 0]);
  expect(whole[0]![10 * W + 10]).toBeNaN();
  expect(Math.abs(whole[0]![30 * W + 25]! - full[30 * W + 25]!)).toBeLessThan(1e-5);
  for (let r = 0; r < 5; r++) {
    for (let c = 0; c < 9; c++) {
      expect(part[0]![r * 9 + c]).toBeCloseTo(whole[0]![(28 + r) * W + 20 + c]!, 6);
    }
  }
  const [masked] = (
    await e.read(node("optical.gaps", { masked: true }, sourceNode("a"), sourceNode("b")), 0, {
      col: 10,
      row: 10,
      width: 1,
      height: 1,
    })
  ).bands as Float32Array[];
  expect(Math.abs(masked![0]! - full[10 * W + 10]!)).toBeLessThan(1e-5);
  await expect(
    e.info(
      node(
        "optical.gaps",
        { masked: false },
        sourceNode("a"),
        node("bands.select", { bands: [1] }, sourceNode("b")),
      ),
    ),
  ).rejects.toThrow(/no band like B4/);
});
