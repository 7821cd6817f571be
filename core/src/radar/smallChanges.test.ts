import { lcg } from "../testing/support";
import { unchangedStrength } from "./falseAlarms";
import { SMALL_CHANGES_HALO as HALO, smallChanges } from "./smallChanges";

const WIDTH = 56;
const HEIGHT = 50;
const wide = WIDTH + 2 * HALO;
const high = HEIGHT + 2 * HALO;
const ask = { perCell: 1e-5, looks: 4 };

/** Speckle of four looks of mean one. */
function speckle(seed: number): Float32Array {
  const random = lcg(seed);
  return Float32Array.from({ length: wide * high }, () => {
    let product = 1;
    for (let k = 0; k < 4; k++) {
      product *= 1 - random();
    }
    return -Math.log(product) / 4;
  });
}

/** What a part of an image is multiplied by. */
const times = (
  cells: Float32Array,
  factor: number,
  holds: (col: number, row: number) => boolean,
): Float32Array =>
  cells.map((value, i) =>
    holds((i % wide) - HALO, Math.floor(i / wide) - HALO) ? factor * value : value,
  );

function found(
  before: Float32Array[],
  after: Float32Array[],
): (col: number, row: number) => number {
  const out = new Float32Array(WIDTH * HEIGHT);
  smallChanges(before, after, WIDTH, HEIGHT, ask, out);
  return (col, row) => out[row * WIDTH + col]!;
}

/** The definition, cell by cell, with nothing shared between cells. */
function byDefinition(before: Float32Array[], after: Float32Array[], col: number, row: number) {
  const mean = (cells: Float32Array, c: number, r: number) => {
    let sum = 0;
    let n = 0;
    for (let j = -1; j <= 1; j++) {
      for (let k = -1; k <= 1; k++) {
        const value = cells[(r + j + HALO) * wide + c + k + HALO]!;
        if (!Number.isNaN(value)) {
          sum += value;
          n++;
        }
      }
    }
    const own = cells[(r + HALO) * wide + c + HALO]!;
    return Number.isNaN(own) || n < 5 ? NaN : Math.max(0, sum / n) + 0.003;
  };
  // Twice the variance of a mean of nine cells of so many looks is that of independent cells.
  const ratio = (c: number, r: number) =>
    before.reduce(
      (sum, cells, k) => sum + Math.log(mean(after[k]!, c, r) / mean(cells, c, r)) / before.length,
      0,
    );
  const windows = [
    [-10, -10],
    [0, -10],
    [10, -10],
    [-10, 0],
    [10, 0],
    [-10, 10],
    [0, 10],
    [10, 10],
  ].map(([across, down]) => {
    const values: number[] = [];
    for (let j = -5; j <= 5; j++) {
      for (let k = -5; k <= 5; k++) {
        const value = ratio(col + across! + k, row + down! + j);
        if (!Number.isNaN(value)) {
          values.push(value);
        }
      }
    }
    const average = values.reduce((sum, value) => sum + value, 0) / values.length;
    const variance = values.reduce((sum, value) => sum + (value - average) ** 2, 0) / values.length;
    return { average, variance };
  });
  const variances = windows.map(({ variance }) => variance).sort((a, b) => a - b);
  const independent = 2 / (9 * 4 * before.length);
  const spread = Math.sqrt(Math.max(0.5 * independent, (variances[1]! + variances[2]!) / 2));
  const own = ratio(col, row);
  const nearer = windows
    .filter(({ variance }) => variance < 6 * spread ** 2)
    .map(({ average }) => average)
    .filter((average) => (own > 0 ? average > 0 && average < own : average < 0 && average > own));
  const contrast = own - (own > 0 ? Math.max(0, ...nearer) : Math.min(0, ...nearer));
  const looks = 4 * before.length;
  const times = spread ** 2 / independent;
  const left = 1 - 0.03 * Math.min(2, Math.max(0, times - 1));
  const uneven = before.reduce(
    (sum, cells, k) =>
      sum + Math.min(unevenness(cells, col, row), unevenness(after[k]!, col, row)) / before.length,
    0,
  );
  // Four looks alone make the mean of squares 1.25 times the square of the mean.
  const fewer = Math.max(1, 1 + 2 * (uneven / 1.25 - 1.3));
  return (left * contrast) / (spread * Math.sqrt(fewer)) / unchangedStrength(ask.perCell, looks);
}

/** Mean of squares over square of the mean of nine cells, each over the floor. */
function unevenness(cells: Float32Array, col: number, row: number): number {
  let sum = 0;
  let squares = 0;
  let n = 0;
  for (let k = 0; k < 9; k++) {
    const i = (row - 1 + Math.floor(k / 3) + HALO) * wide + col - 1 + (k % 3) + HALO;
    const value = cells[i]!;
    if (!Number.isNaN(value)) {
      sum += value;
      squares += (value + 0.003) ** 2;
      n++;
    }
  }
  return squares / n / (sum / n + 0.003) ** 2;
}

const isThing = (col: number, row: number) => col >= 20 && col < 23 && row >= 20 && row < 22;

test("a cell is what the definition says, where it is the strongest around", () => {
  const isOne = (col: number, row: number) => col % 14 < 3 && row % 17 >= 5 && row % 17 < 7;
  // A wall that is there on both dates: means across it rest on fewer looks.
  const isWall = (col: number) => col === 30;
  const before = [speckle(1), speckle(2)].map((cells) => times(cells, 12, isWall));
  const after = [speckle(3), speckle(4)].map((cells) =>
    times(times(times(cells, 12, isWall), 6, isOne), 0.2, (col) => col < 9),
  );
  before[0]![(30 + HALO) * wide + 24 + HALO] = NaN;
  const at = found(before, after);
  let compared = 0;
  for (let row = 0; row < HEIGHT; row++) {
    for (let col = 0; col < WIDTH; col++) {
      const value = at(col, row);
      if (value !== 0 && !Number.isNaN(value)) {
        expect(Math.abs(value - byDefinition(before, after, col, row))).toBeLessThan(1e-3);
        compared++;
      }
    }
  }
  expect(compared).toBeGreaterThan(40);
});
test("what comes is positive, what goes is negative, and each is as large as it is", () => {
  const plain = [speckle(5), speckle(6)];
  const things = [speckle(7), speckle(8)].map((cells) => times(cells, 8, isThing));
  const came = found(plain, things);
  const went = found(things, plain);
  let cells = 0;
  for (let row = 0; row < HEIGHT; row++) {
    for (let col = 0; col < WIDTH; col++) {
      // The same dates the other way round.
      expect(went(col, row)).toBeCloseTo(-came(col, row), 5);
      if (came(col, row) >= 1) {
        expect([Math.abs(col - 21) <= 3, Math.abs(row - 20.5) <= 2.5]).toEqual([true, true]);
        cells++;
      }
    }
  }
  expect(cells).toBeGreaterThanOrEqual(6);
  expect(cells).toBeLessThanOrEqual(14);
});
test("the edge of what changed over a large part is no small change", () => {
  const isFlooded = (col: number, row: number) => col + 0.3 * row < 30;
  const before = [speckle(9)];
  const at = found(before, [times(speckle(10), 0.1, isFlooded)]);
  for (let row = 0; row < HEIGHT; row++) {
    for (let col = 0; col < WIDTH; col++) {
      expect(Math.abs(at(col, row))).toBeLessThan(1);
    }
  }
});
test("what stays as it was in the midst of a flood did not come", () => {
  const isIsland = (col: number, row: number) => Math.hypot(col - 25, row - 25) < 3;
  const flooded = times(speckle(16), 0.1, (col, row) => !isIsland(col, row));
  const at = found([speckle(15)], [flooded]);
  for (let row = 20; row < 31; row++) {
    for (let col = 20; col < 31; col++) {
      expect(at(col, row)).toBeLessThan(1);
    }
  }
});
test("beside a large change a thing of its own is found", () => {
  // A boat that left, seven cells off a bank that was flooded: both darker.
  const isFlooded = (col: number) => col < 22;
  const isBoat = (col: number, row: number) => col >= 29 && col < 32 && row >= 20 && row < 24;
  const before = [times(speckle(17), 8, isBoat)];
  const after = [times(speckle(18), 0.03, isFlooded)];
  const at = found(before, after);
  expect(at(30, 21)).toBeLessThan(-1);
  for (let row = 0; row < HEIGHT; row++) {
    for (let col = 0; col < 26; col++) {
      expect(Math.abs(at(col, row))).toBeLessThan(1);
    }
  }
});
test("a corner of a large change is no small one", () => {
  const isField = (col: number, row: number) => col > 24 && row > 20 && row < 2 * col - 30;
  const at = found([speckle(19)], [times(speckle(20), 0.1, isField)]);
  for (let row = 0; row < HEIGHT; row++) {
    for (let col = 0; col < WIDTH; col++) {
      expect(Math.abs(at(col, row))).toBeLessThan(1);
    }
  }
});
test("a long strip is small where it is narrow, and is none where it is as wide as a field", () => {
  const strip = (width: number) => (_col: number, row: number) => row >= 20 && row < 20 + width;
  const inTheMiddle = (width: number) => {
    const at = found([speckle(19)], [times(speckle(20), 0.1, strip(width))]);
    return Array.from({ length: WIDTH }, (_, col) => at(col, 20 + Math.floor(width / 2)));
  };
  expect(inTheMiddle(3).filter((value) => value <= -1).length).toBeGreaterThan(WIDTH / 2);
  expect(inTheMiddle(7)).toEqual(new Array(WIDTH).fill(0));
});
test("nodata stays nodata, and does not spread; noise that was taken off does no harm", () => {
  const before = [speckle(11)];
  const after = [times(speckle(12), -0.001, (col) => col > 40)];
  const nodata = (30 + HALO) * wide + 10 + HALO;
  before[0]![nodata] = NaN;
  const at = found(before, after);
  expect(at(10, 30)).toBeNaN();
  for (const [col, row] of [
    [11, 30],
    [9, 29],
    [10, 33],
    [50, 10],
  ] as const) {
    expect(Number.isFinite(at(col, row))).toBe(true);
  }
});
test("where too little is seen around a cell it is not judged", () => {
  const isSeen = (col: number, row: number) => col > 20 && col < 30 && row > 20 && row < 30;
  const island = times(speckle(13), NaN, (col, row) => !isSeen(col, row));
  expect(found([island], [speckle(14)])(25, 25)).toBeNaN();
});
