import { utm } from "../geodesy/crs";
import { cellAreas } from "../grid/area";
import { northUp } from "../grid/grid";
import { runsOf } from "../patches/runs";
import { addEffects, mergeEffects, noEffects, runEffects } from "./effects";
import { addZoneSums, meanOfZone, mergeZoneSums, noZoneSums } from "./zoneSums";

const grid = northUp(utm(27, true), 500000, 5170000, 10, 10, 4, 2);
const areas = cellAreas(grid);
const w = { col: 0, row: 0, width: 4, height: 2 };

test("area beyond a value and mean by zone, by hand", () => {
  const values = Float32Array.of(-20, -10, NaN, -18, -20, -17, -10, -10);
  const zone = Uint16Array.of(0, 0, 0, 1, 1, 1, 1, 1);
  const sums = noZoneSums(2);
  addZoneSums(values, zone, w, areas, "<", -17, true, sums);
  expect(sums.map((sum) => [sum.cells, sum.beyondCells])).toEqual([
    [2, 1],
    [5, 2],
  ]);
  expect(sums[0]!.seenM2).toBeCloseTo(areas.cell(0, 0) + areas.cell(1, 0), 9);
  expect(sums[1]!.beyondM2).toBeCloseTo(areas.cell(3, 0) + areas.cell(0, 1), 9);
  // Means are of power: −20 and −10 dB are 0.01 and 0.1.
  expect(meanOfZone(sums[0]!, true)).toBeCloseTo(10 * Math.log10(0.055), 6);
  expect(meanOfZone(noZoneSums(1)[0]!, true)).toBeNull();
  const parts = [noZoneSums(2), noZoneSums(2)];
  addZoneSums(
    values.slice(0, 4),
    zone.slice(0, 4),
    { ...w, height: 1 },
    areas,
    "<",
    -17,
    true,
    parts[0]!,
  );
  addZoneSums(
    values.slice(4),
    zone.slice(4),
    { ...w, row: 1, height: 1 },
    areas,
    "<",
    -17,
    true,
    parts[1]!,
  );
  mergeZoneSums(parts[0]!, parts[1]!).forEach((zoneSum, k) => {
    expect(zoneSum.beyondM2).toBeCloseTo(sums[k]!.beyondM2, 9);
    expect(zoneSum.sum).toBeCloseTo(sums[k]!.sum, 9);
  });
});
test("what a limit takes and gives, cell by cell", () => {
  const e = noEffects(["slope", "majority"]);
  const stages = [
    [1, 1, 2, 0, 255, 2, 0, 1],
    [1, 0, 2, 0, 255, 0, 0, 1],
    [1, 1, 1, 0, 255, 0, 2, 1],
  ].map((s) => Uint8Array.from(s));
  addEffects(stages, w, areas, e);
  // Slope drops two; majority gives two, and turns one of class 2 into class 1: dropped and added.
  expect(e.map((effect) => [effect.name, effect.droppedCells, effect.addedCells])).toEqual([
    ["slope", 2, 0],
    ["majority", 1, 3],
  ]);
  expect(e[0]!.droppedM2).toBeCloseTo(areas.cell(1, 0) + areas.cell(1, 1), 9);
  expect(mergeEffects([e, e])[1]).toMatchObject({
    name: "majority",
    droppedCells: 2,
    addedCells: 6,
  });
});
test("the same told by runs", () => {
  let seed = 5;
  const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
  const g2 = northUp(utm(27, true), 500000, 5170000, 10, 10, 40, 30);
  const a2 = cellAreas(g2);
  const draw = () =>
    Uint8Array.from({ length: 1200 }, () => [0, 0, 1, 1, 2, 255][Math.floor(random() * 6)]!);
  const before = draw();
  const after = before.map((value) => (random() < 0.3 ? draw()[0]! : value));
  const cellwise = noEffects(["x"]);
  addEffects([before, after], { col: 0, row: 0, width: 40, height: 30 }, a2, cellwise);
  const { name: _n, ...want } = cellwise[0]!;
  const got = runEffects(runsOf(before, 40, 30), runsOf(after, 40, 30), a2);
  for (const k of ["droppedCells", "addedCells"] as const) {
    expect(got[k]).toBe(want[k]);
  }
  for (const k of ["droppedM2", "addedM2"] as const) {
    expect(got[k]).toBeCloseTo(want[k], 4);
  }
});
