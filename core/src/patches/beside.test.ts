import { lcg } from "../testing/support";
import { keepBeside } from "./beside";
import { fillWindow, runsOf } from "./runs";

const cellsOf = (runs: ReturnType<typeof runsOf>): Uint8Array => {
  const out = new Uint8Array(runs.width * runs.height);
  fillWindow(runs, 0, 0, runs.width, runs.height, out);
  return out;
};

test.each([1, 2, 5])("within %i cells, by looking at every cell around", (reach) => {
  const [width, height] = [23, 17];
  const random = lcg(reach);
  const labels = Uint8Array.from({ length: width * height }, () =>
    random() < 0.03 ? 1 : [0, 4, 4, 255][Math.floor(4 * random())]!,
  );
  const { runs, changed } = keepBeside(runsOf(labels, width, height), { label: 4, of: 1, reach });
  let gone = 0;
  const wanted = labels.map((own, i) => {
    const [row, col] = [Math.floor(i / width), i % width];
    const isNear = labels.some(
      (other, k) =>
        other === 1 &&
        Math.abs(Math.floor(k / width) - row) <= reach &&
        Math.abs((k % width) - col) <= reach,
    );
    gone += own === 4 && !isNear ? 1 : 0;
    return own === 4 && !isNear ? 0 : own;
  });
  expect([...cellsOf(runs)]).toEqual([...wanted]);
  expect(changed).toBe(gone);
  expect(gone).toBeGreaterThan(0);
});
