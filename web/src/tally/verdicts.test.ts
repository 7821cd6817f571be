import { aChangeMap } from "../testing/things";
import { type Standings, REJECTED, classStandings, rowsByVerdict } from "./verdicts";

const plain = aChangeMap();
const map = aChangeMap({
  provenance: {
    ...plain.provenance,
    zones: { name: "Districts", file: "d.geojson", sha256: "0", names: ["Lowfen", "Tolm"] },
  },
});
const area = (
  zone: number | null,
  label: number,
  standing: Standings[number]["standing"],
  km2: number,
) => ({
  ...{ zone, label, standing, patches: 1 },
  ...{ cells: 100 * km2, areaM2: 1e6 * km2 },
});
// As the map has it: 3 km² of new water in Lowfen, 1 of standing water in Tolm.
const AREAS: Standings = [
  area(null, 1, "real", 1),
  area(null, 1, "disputed", 0.5),
  area(null, 1, "false", 1.5),
  area(null, 2, "open", 1),
  area(1, 1, "real", 1),
  area(1, 1, "disputed", 0.5),
  area(1, 1, "false", 1.5),
  area(2, 2, "open", 1),
];

test("rejected patches leave their class for a row of their own, zone by zone", () => {
  const rows = rowsByVerdict(map, AREAS);
  const km2 = (zone: string | null, label: number) =>
    rows.find((row) => row.zone === zone && row.label === label)!.areaM2 / 1e6;
  expect([km2(null, 1), km2("Lowfen", 1), km2("Tolm", 1)]).toEqual([1.5, 1.5, 0]);
  expect([km2(null, REJECTED), km2("Lowfen", REJECTED), km2("Tolm", REJECTED)]).toEqual([
    1.5, 1.5, 0,
  ]);
  expect([km2(null, 0), km2(null, 2)]).toEqual([6, 1]);
  // Nothing is lost: every zone has the area that it had.
  for (const zone of [null, "Lowfen", "Tolm"]) {
    const sum = (all: typeof rows) =>
      all.filter((row) => row.zone === zone).reduce((total, row) => total + row.areaM2, 0);
    expect(sum(rows)).toBe(sum(map.rows));
  }
});

test("a class stands as its patches do; disputed ones are open", () => {
  expect(
    classStandings(map, AREAS).map(({ row, realM2, openM2, falseM2 }) => [
      row.label,
      realM2,
      openM2,
      falseM2,
    ]),
  ).toEqual([
    [1, 1e6, 0.5e6, 1.5e6],
    [2, 0, 1e6, 0],
  ]);
});
