import { northUp } from "../grid/grid";
import { LONLAT } from "../geodesy/crs";
import { cellAreas } from "../grid/area";
import { lcg } from "../testing/support";
import { labelRuns } from "./label";
import { mostCovering, numbersOf } from "./overlap";
import { polygonise } from "./polygonise";
import { runsOf } from "./runs";

const width = 31;
const height = 23;
const random = lcg(4);
const made = () =>
  Uint8Array.from(
    { length: width * height },
    () => [0, 0, 1, 1, 2, 255][Math.floor(random() * 6)]!,
  );
const image = (labels: Uint8Array, neighbours: 4 | 8) => {
  const runs = runsOf(labels, width, height);
  return { runs, labelling: labelRuns(runs, neighbours) };
};
/** The patch of every cell, by its run. */
const patchOfCell = ({ runs, labelling }: ReturnType<typeof image>): number[] =>
  Array.from({ length: width * height }, (_v, at) => {
    const r = Math.floor(at / width);
    let i = runs.rows[r]!;
    while (i + 1 < runs.rows[r + 1]! && runs.starts[i + 1]! <= at % width) {
      i++;
    }
    return labelling.patchOfRun[i]!;
  });

test.each([4, 8] as const)(
  "patches of %i neighbours: the one that covers most of another is found cell by cell too",
  (neighbours) => {
    const [now, then] = [made(), made()];
    const [newer, older] = [image(now, neighbours), image(then, 8)];
    // Class 1 was called 2 and the other way round.
    const sameAs = (label: number) => ({ 1: 2, 2: 1 })[label] ?? null;
    const [ids, oldIds] = [patchOfCell(newer), patchOfCell(older)];
    const counts = new Map<string, number>();
    now.forEach((label, at) => {
      if (label !== 0 && label !== 255 && sameAs(then[at]!) === label) {
        const key = `${ids[at]} ${oldIds[at]}`;
        counts.set(key, (counts.get(key) ?? 0) + 1);
      }
    });
    const found = mostCovering(newer, older, sameAs);
    found.forEach((cover, id) => {
      const own = [...counts].filter(([key]) => key.startsWith(`${id} `));
      const most = Math.max(0, ...own.map(([, cells]) => cells));
      expect(cover?.cells ?? 0).toBe(most);
      if (cover) {
        expect(counts.get(`${id} ${cover.patch}`)).toBe(most);
      }
    });
    expect(found.some((cover) => cover !== null)).toBe(true);
  },
);

test("images of two sizes are refused", () => {
  const small = runsOf(new Uint8Array(6), 3, 2);
  const other = { runs: small, labelling: labelRuns(small, 4) };
  expect(() => mostCovering(image(made(), 4), other, (label) => label)).toThrow(
    "An image of 3 x 2 cells does not lie on one of 31 x 23",
  );
});

test("numbers go by size, as those of the polygons that are written do", () => {
  const patched = image(made(), 8);
  const shapes = polygonise(patched.runs, 8, cellAreas(northUp(LONLAT, 0, 0, 1, 1, width, height)))
    .map(({ cells, label }, k) => ({ cells, label, k }))
    .sort((a, b) => b.cells - a.cells);
  const numbers = [...numbersOf(patched)];
  const sizes = numbers
    .map((number, id) => ({ number, cells: patched.labelling.sizes[id]! }))
    .filter(({ number }) => number > 0)
    .sort((a, b) => a.number - b.number);
  expect(sizes.map(({ cells }) => cells)).toEqual(shapes.map(({ cells }) => cells));
  // In reading order among those of one size, as polygonise gives them.
  const classIds = [...numbers.keys()].filter((id) => numbers[id]! > 0);
  expect(shapes.map(({ k }) => numbers[classIds[k]!])).toEqual(shapes.map((_s, k) => k + 1));
});
