import { randomFrom } from "../classify/random";
import { CLASS_NODATA } from "../raster/block";
import type { Appearance } from "./appearance";
import { AROUND_CELLS, AROUND_SPREAD, sharesAround } from "./around";
import { ELSEWHERE, ODD_SHARE, certaintyOf, probabilitiesOf } from "./probabilities";

/** A map with a margin, of classes 0 to 2 and nodata. */
function someMap(width: number, height: number): Uint8Array {
  const random = randomFrom(3);
  const wide = width + 2 * AROUND_CELLS;
  return Uint8Array.from({ length: wide * (height + 2 * AROUND_CELLS) }, (_, i) => {
    const label = Math.floor(random() * 3 + ((i % wide) / wide) * 0.9);
    return random() < 0.1 ? CLASS_NODATA : Math.min(2, label);
  });
}

/** Weights of the cells around one, by going over a single cell three times with a square of nine. */
function weights(): number[][] {
  const size = 2 * AROUND_CELLS + 1;
  let cells = Array.from({ length: size }, () => new Array<number>(size).fill(0));
  cells[AROUND_CELLS]![AROUND_CELLS] = 1;
  for (let pass = 0; pass < 3; pass++) {
    cells = cells.map((line, r) =>
      line.map((_, c) => {
        let sum = 0;
        for (let y = -4; y <= 4; y++) {
          for (let x = -4; x <= 4; x++) {
            sum += cells[r + y]?.[c + x] ?? 0;
          }
        }
        return sum / 81;
      }),
    );
  }
  return cells;
}

describe("the cells around a cell", () => {
  test("shares are those of the weights, cell by cell, without the cell itself", () => {
    const [width, height] = [7, 5];
    const wide = width + 2 * AROUND_CELLS;
    const labels = someMap(width, height);
    const shares = sharesAround(labels, wide, [0, 1, 2, 9]);
    const weight = weights();
    for (let r = 0; r < height; r++) {
      for (let c = 0; c < width; c++) {
        const sums = new Map<number, number>();
        let all = 0;
        weight.forEach((line, y) =>
          line.forEach((one, x) => {
            const label = labels[(r + y) * wide + c + x]!;
            const isOwn = y === AROUND_CELLS && x === AROUND_CELLS;
            if (label !== CLASS_NODATA && !isOwn) {
              sums.set(label, (sums.get(label) ?? 0) + one);
              all += one;
            }
          }),
        );
        [0, 1, 2, 9].forEach((label, k) => {
          expect(shares[k]![r * width + c]).toBeCloseTo((sums.get(label) ?? 0) / all, 5);
        });
      }
    }
  });
  test("the weights spread as far as is said", () => {
    let [sum, squares] = [0, 0];
    weights().forEach((line) =>
      line.forEach((one, x) => {
        sum += one;
        squares += one * (x - AROUND_CELLS) ** 2;
      }),
    );
    expect(sum).toBeCloseTo(1, 9);
    expect(Math.sqrt(squares)).toBeCloseTo(AROUND_SPREAD, 9);
  });
  test("where nothing is around a cell its shares are none", () => {
    const wide = 1 + 2 * AROUND_CELLS;
    const labels = new Uint8Array(wide * wide).fill(CLASS_NODATA);
    labels[AROUND_CELLS * wide + AROUND_CELLS] = 1;
    expect(sharesAround(labels, wide, [0, 1]).map(([share]) => share)).toEqual([NaN, NaN]);
  });
});

/** One normal distribution of spread one. */
const bellAt = (mean: number) => [
  { weight: 1, mean: Float64Array.of(mean), whitening: Float64Array.of(1), logScale: 0 },
];
const appearance: Appearance = {
  labels: [0, 1],
  shares: [0.75, 0.25],
  mixtures: [bellAt(0), bellAt(-3)],
  whole: [{ ...bellAt(-0.75)[0]!, whitening: Float64Array.of(0.5), logScale: Math.log(0.5) }],
  used: [0],
  middle: Float64Array.of(0),
  spread: Float64Array.of(1),
};

/** One cell amid its surroundings: those to the left of it are of class 1, all others of none. */
function onTheShore(own: number, value: number) {
  const wide = 1 + 2 * AROUND_CELLS;
  const labels = Uint8Array.from({ length: wide * wide }, (_, i) =>
    i % wide < AROUND_CELLS ? 1 : 0,
  );
  labels[AROUND_CELLS * wide + AROUND_CELLS] = own;
  return { labels, width: wide, values: [Float32Array.of(value)] };
}

describe("probabilities of classes", () => {
  test("they are likelihood times the share around, worked by hand", () => {
    const value = -1.25;
    const looked = onTheShore(1, value);
    const [, around] = sharesAround(looked.labels, looked.width, [0, 1]).map(([share]) => share!);
    const any = 0.5 * Math.exp(-0.5 * (0.5 * (value + 0.75)) ** 2);
    const looks = (mean: number) =>
      (1 - ODD_SHARE) * Math.exp(-0.5 * (value - mean) ** 2) + ODD_SHARE * any;
    const here = (share: number, ofMap: number) => (1 - ELSEWHERE) * share + ELSEWHERE * ofMap;
    const water = here(around!, 0.25) * looks(-3);
    const land = here(1 - around!, 0.75) * looks(0);
    const found = probabilitiesOf(appearance, looked);
    expect(found[1]![0]).toBeCloseTo(water / (water + land), 5);
    expect(found[0]![0]! + found[1]![0]!).toBeCloseTo(1, 6);
  });
  test("a cell that looks like the other class is doubtful, one amid its own class that fits is not", () => {
    const [, odd] = probabilitiesOf(appearance, onTheShore(1, 0.5));
    const [, sure] = probabilitiesOf(appearance, onTheShore(1, -3));
    expect(odd![0]).toBeLessThan(0.2);
    expect(sure![0]).toBeGreaterThan(0.95);
  });
  test("without a value the surroundings alone say; where the map is nodata there is nothing", () => {
    const shore = onTheShore(0, NaN);
    const [, around] = sharesAround(shore.labels, shore.width, [0, 1]).map(([share]) => share!);
    const [, found] = probabilitiesOf(appearance, shore);
    expect(found![0]).toBeCloseTo((1 - ELSEWHERE) * around! + ELSEWHERE * 0.25, 5);
    const [none] = probabilitiesOf(appearance, onTheShore(CLASS_NODATA, -3));
    expect(none![0]).toBeNaN();
  });
  test("certainty is the probability of what the map says", () => {
    const labels = Uint8Array.of(4, 0, CLASS_NODATA, 9);
    const bands = [Float32Array.of(0.1, 0.7, 1, 1), Float32Array.of(0.9, 0.3, 0, 0)];
    const certainty = certaintyOf(labels, [0, 4], bands);
    expect([...certainty].map((one) => Math.round(one * 10) / 10)).toEqual([0.9, 0.7, NaN, NaN]);
  });
});
