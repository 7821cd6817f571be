import { CLASS_NODATA } from "../raster/block";
import { MOST_CELLS, Samples } from "./samples";

const WIDTH = 300;
const HEIGHT = 200;
const labels = Uint8Array.from({ length: WIDTH * HEIGHT }, (_, i) => {
  const isOut = i % 11 === 0;
  return isOut ? CLASS_NODATA : i % 3;
});
const values = [
  Float32Array.from(labels, (_, i) => i),
  Float32Array.from(labels, (_, i) => (i % 7 === 0 ? NaN : -i)),
];
const wholeWindow = { col: 5, row: 9, width: WIDTH, height: HEIGHT };

function whole(): ReturnType<Samples["finish"]> {
  const samples = new Samples(2);
  samples.add(labels, values, wholeWindow);
  return samples.finish();
}

describe("cells drawn from a map", () => {
  test("every class gives as many as are wanted, each once, and all of it are counted", () => {
    const found = whole();
    expect(found.map(({ label }) => label)).toEqual([0, 1, 2]);
    for (const { label, seen, keys, values: drawn } of found) {
      expect(seen).toBe(labels.filter((one) => one === label).length);
      expect(keys).toHaveLength(MOST_CELLS);
      const cells = Array.from(keys, (_, k) => drawn[2 * k]!);
      expect(new Set(cells).size).toBe(MOST_CELLS);
      cells.forEach((cell, k) => {
        expect(labels[cell]).toBe(label);
        expect(drawn[2 * k + 1]).toBe(-cell);
      });
    }
  });
  test("they are spread evenly over the map", () => {
    const { keys, values: drawn } = whole()[0]!;
    const cells = Array.from(keys, (_, k) => drawn[2 * k]!);
    const upper = cells.filter((cell) => cell < labels.length / 2).length;
    // Three standard deviations of a fair coin.
    expect(Math.abs(upper - MOST_CELLS / 2)).toBeLessThan(1.5 * Math.sqrt(MOST_CELLS));
  });
  test("they are the same however the map is cut", () => {
    const parts = [0, 50, 120].map((from, k, starts) => {
      const to = starts[k + 1] ?? HEIGHT;
      const part = new Samples(2);
      part.add(
        labels.subarray(from * WIDTH, to * WIDTH),
        values.map((band) => band.subarray(from * WIDTH, to * WIDTH)),
        { ...wholeWindow, row: wholeWindow.row + from, height: to - from },
      );
      return part.finish();
    });
    const merged = new Samples(2);
    [2, 0, 1].forEach((k) => merged.merge(parts[k]!));
    const cellsOf = (found: ReturnType<Samples["finish"]>) =>
      found.map(({ label, seen, values: drawn }) => ({ label, seen, drawn: [...drawn].sort() }));
    expect(cellsOf(merged.finish())).toEqual(cellsOf(whole()));
  });
});
