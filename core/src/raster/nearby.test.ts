import { lcg } from "../testing/support";
import { nearby, nearbyHalo } from "./nearby";

/** The same by its definition, cell by cell. */
function direct(
  src: Float32Array,
  width: number,
  height: number,
  meanCells: number,
  within: number,
  side: "lowest" | "highest",
): Float32Array {
  const halo = nearbyHalo(meanCells, within);
  const wide = width + 2 * halo;
  const half = (meanCells - 1) / 2;
  const meanAt = (row: number, col: number): number => {
    let sum = 0;
    let n = 0;
    for (let j = -half; j <= half; j++) {
      for (let i = -half; i <= half; i++) {
        const value = src[(row + j) * wide + col + i]!;
        if (value === value) {
          sum += value;
          n++;
        }
      }
    }
    return sum / n;
  };
  return Float32Array.from({ length: width * height }, (_, k) => {
    const row = Math.floor(k / width) + halo;
    const col = (k % width) + halo;
    if (Number.isNaN(src[row * wide + col])) {
      return NaN;
    }
    const means: number[] = [];
    for (let j = -within; j <= within; j++) {
      for (let i = -within; i <= within; i++) {
        means.push(meanAt(row + j, col + i));
      }
    }
    const seen = means.filter((value) => !Number.isNaN(value));
    return side === "lowest" ? Math.min(...seen) : Math.max(...seen);
  });
}

describe.each([
  { meanCells: 3, within: 1 },
  { meanCells: 3, within: 3 },
  { meanCells: 5, within: 0 },
  { meanCells: 1, within: 2 },
])("means of $meanCells cells within $within", ({ meanCells, within }) => {
  const [width, height] = [19, 13];
  const halo = nearbyHalo(meanCells, within);
  const size = (width + 2 * halo) * (height + 2 * halo);
  test.each([
    ["with gaps", 0.2],
    ["all seen", 0],
  ])("%s: as the definition says", (_name, gaps) => {
    const random = lcg(7);
    const src = Float32Array.from({ length: size }, () =>
      random() < gaps ? NaN : 20 * random() - 30,
    );
    for (const side of ["lowest", "highest"] as const) {
      const out = new Float32Array(width * height);
      nearby(src, width, height, meanCells, within, side, out);
      const wanted = direct(src, width, height, meanCells, within, side);
      out.forEach((value, i) => {
        if (Number.isNaN(wanted[i])) {
          expect(value).toBeNaN();
        } else {
          expect(value).toBeCloseTo(wanted[i]!, 4);
        }
      });
    }
  });
});

test("a lone strong cell does not make its surroundings strong, a body of nine does", () => {
  const side = 9;
  const at = (cells: [number, number][]) => {
    const src = new Float32Array((side + 4) ** 2).fill(0);
    for (const [row, col] of cells) {
      src[(row + 2) * (side + 4) + col + 2] = -9;
    }
    const out = new Float32Array(side * side);
    nearby(src, side, side, 3, 1, "lowest", out);
    return out[4 * side + 4]!;
  };
  expect(at([[4, 4]])).toBeCloseTo(-1, 5);
  const nine = [2, 3, 4].flatMap((row) => [2, 3, 4].map((col): [number, number] => [row, col]));
  expect(at(nine)).toBeCloseTo(-9, 5);
});
