import { utm } from "../geodesy/crs";
import { Evaluator } from "../graph/evaluator";
import type { ImageInfo } from "../graph/image";
import { northUp } from "../grid/grid";
import { lcg, memorySources } from "../testing/support";
import { GAP_REACH, enclosed, fillFromDate, fillFromNeighbours, reachOut } from "./gaps";
import { realCells } from "../raster/block";
import { node, sourceNode } from "../graph/node";

const width = 61;
const height = 47;
test("how far the next valid cell lies, against a walk cell by cell", () => {
  const random = lcg(3);
  const valid = Uint8Array.from({ length: width * height }, () => (random() < 0.06 ? 1 : 0));
  const far = reachOut(valid, width, height);
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
  for (let r = 0; r < height; r += 5) {
    for (let c = 0; c < width; c += 3) {
      lines.forEach(([dc, dr], k) => {
        let want = 0;
        for (let n = 1; n <= GAP_REACH && !want; n++) {
          const cc = c + n * dc;
          const rr = r + n * dr;
          if (cc < 0 || rr < 0 || cc >= width || rr >= height) {
            break;
          }
          if (valid[rr * width + cc]) {
            want = n;
          }
        }
        expect(far[k]![r * width + c]).toBe(want);
      });
    }
  }
});
test("outside of a frame is no gap", () => {
  const valid = new Uint8Array(width * height);
  for (let r = 10; r < 40; r++) {
    for (let c = 12; c < 50; c++) {
      valid[r * width + c] = c === 30 || c === 31 ? 0 : 1;
    }
  }
  const far = reachOut(valid, width, height);
  expect([
    enclosed(far, 20 * width + 30),
    enclosed(far, 20 * width + 11),
    enclosed(far, 5 * width + 30),
    enclosed(far, 9 * width + 11),
  ]).toEqual([true, false, false, false]);
});
test("neighbours: a plane comes back exactly, and an edge stays an edge", () => {
  const plane = Float32Array.from(
    { length: width * height },
    (_v, i) => 0.1 + 0.002 * (i % width) + 0.001 * Math.floor(i / width),
  );
  const step = Float32Array.from({ length: width * height }, (_v, i) =>
    i % width < 30 ? 0.1 : 0.4,
  );
  const gaps = new Uint8Array(width * height);
  const valid = new Uint8Array(width * height).fill(1);
  for (let c = 0; c < width; c++) {
    for (const r of [20, 21, 22]) {
      gaps[r * width + c] = 1;
      valid[r * width + c] = 0;
    }
  }
  const holed = (b: Float32Array) => b.map((value, i) => (gaps[i] ? NaN : value));
  const far = reachOut(valid, width, height);
  const run = (b: Float32Array) => {
    const out = holed(b).slice();
    const filled = new Uint8Array(width * height);
    fillFromNeighbours([holed(b)], gaps, far, width, [out], filled);
    return { out, filled };
  };
  const part = run(plane);
  const s = run(step);
  for (let c = 2; c < width - 2; c++) {
    expect(part.filled[21 * width + c]).toBe(1);
    expect(part.out[21 * width + c]).toBeCloseTo(plane[21 * width + c]!, 6);
    expect(Math.abs(s.out[21 * width + c]! - step[21 * width + c]!)).toBeLessThan(0.05);
  }
});
test("another date: gain and offset of the surroundings, whatever they are", () => {
  const random = lcg(8);
  const filler = Float32Array.from({ length: width * height }, () => 4000 + 3000 * random());
  const target = filler.map((value, i) => (i % width < 10 ? NaN : 1.4 * value - 700));
  const gaps = Uint8Array.from({ length: width * height }, (_v, i) =>
    Math.floor(i / width) % 12 < 4 ? 1 : 0,
  );
  const seen = target.map((value, i) => (gaps[i] ? NaN : value));
  const out = seen.slice();
  const filled = new Uint8Array(width * height);
  fillFromDate(seen, filler, gaps, width, height, out, filled);
  const at = 13 * width + 40;
  const lonely = 13 * width + 1;
  expect([filled[at], filled[20 * width + 40]]).toEqual([1, 0]);
  expect(Math.abs(out[at]! - target[at]!)).toBeLessThan(0.5);
  // Where hardly anything is common, the level is taken over at the most.
  expect(filled[lonely] === 0 || Number.isFinite(out[lonely]!)).toBe(true);
});
test("a gain beyond three is not believed: the level alone is shifted", () => {
  const random = lcg(4);
  const filler = Float32Array.from({ length: width * height }, () => 0.2 + 0.001 * random());
  const target = filler.map((value) => 100 * value);
  const gaps = new Uint8Array(width * height);
  const out = target.slice();
  const filled = new Uint8Array(width * height);
  const at = 23 * width + 30;
  gaps[at] = 1;
  target[at] = NaN;
  fillFromDate(target, filler, gaps, width, height, out, filled);
  let st = 0;
  let sf = 0;
  let n = 0;
  for (let r = 15; r <= 31; r++) {
    for (let c = 22; c <= 38; c++) {
      const i = r * width + c;
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
  const grid = northUp(utm(27, true), 0, 0, 30, 30, width, height);
  const info: ImageInfo = {
    grid,
    type: "float32",
    bands: [
      { name: "B4", unit: "", role: "reflectance", wavelengthNm: 655 },
      { name: "quality", unit: "", role: "quality" },
    ],
    optical: { level: 1, sunElevationDeg: 50, sunAzimuthDeg: 0 },
  };
  const random = lcg(5);
  const full = Float32Array.from({ length: width * height }, () => 0.1 + 0.1 * random());
  const bits = new Float32Array(width * height).fill(64);
  const light = full.slice();
  for (let c = 0; c < width; c++) {
    light[30 * width + c] = NaN;
    bits[30 * width + c] = 1;
  }
  light[10 * width + 10] = NaN;
  bits[10 * width + 10] = 8;
  const evaluator = new Evaluator({
    sources: memorySources({
      a: { info, bands: [light, bits] },
      b: {
        info,
        bands: [full.map((value) => 2 * value), new Float32Array(width * height).fill(64)],
      },
    }),
  });
  const n = node("optical.gaps", { masked: false }, sourceNode("a"), sourceNode("b"));
  const whole = (await evaluator.read(n, 0, { col: 0, row: 0, width, height })).bands.map(
    realCells,
  );
  const part = (await evaluator.read(n, 0, { col: 20, row: 28, width: 9, height: 5 })).bands.map(
    realCells,
  );
  expect([whole[2]![30 * width + 25], whole[2]![10 * width + 10], whole[2]![0]]).toEqual([1, 0, 0]);
  expect(whole[0]![10 * width + 10]).toBeNaN();
  expect(Math.abs(whole[0]![30 * width + 25]! - full[30 * width + 25]!)).toBeLessThan(1e-5);
  for (let r = 0; r < 5; r++) {
    for (let c = 0; c < 9; c++) {
      expect(part[0]![r * 9 + c]).toBeCloseTo(whole[0]![(28 + r) * width + 20 + c]!, 6);
    }
  }
  const [masked] = (
    await evaluator.read(
      node("optical.gaps", { masked: true }, sourceNode("a"), sourceNode("b")),
      0,
      {
        col: 10,
        row: 10,
        width: 1,
        height: 1,
      },
    )
  ).bands.map(realCells);
  expect(Math.abs(masked![0]! - full[10 * width + 10]!)).toBeLessThan(1e-5);
  await expect(
    evaluator.info(
      node(
        "optical.gaps",
        { masked: false },
        sourceNode("a"),
        node("bands.select", { bands: [1] }, sourceNode("b")),
      ),
    ),
  ).rejects.toThrow(/no band like B4/);
});
