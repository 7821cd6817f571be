import { apart, nameApart } from "./apart";

const at = (id: string, name: string, lon: number, lat: number) => ({
  id,
  name,
  footprint: [
    [lon, lat],
    [lon + 0.1, lat],
    [lon + 0.1, lat - 0.1],
    [lon, lat - 0.1],
  ] as [number, number][],
});

test("frames of one day are told apart by where they lie", () => {
  const all = [
    at("w", "HELIO2, 2025-03-11", -21.1, -43.5),
    at("e", "HELIO2, 2025-03-11", -20.9, -43.52),
    at("x", "HELIO2, 2025-02-15", -21, -43.5),
  ];
  const tags = apart(all);
  expect(Object.fromEntries(tags)).toEqual({ w: "west", e: "east" });
  expect(all.map((scene) => nameApart(scene, tags))).toEqual([
    "HELIO2, 2025-03-11, west",
    "HELIO2, 2025-03-11, east",
    "HELIO2, 2025-02-15",
  ]);
});

test("those along a pass are north and south; those at one place, or of no place, have numbers", () => {
  expect([...apart([at("n", "L", 0, 10), at("s", "L", 0.01, 9.5)]).values()]).toEqual([
    "north",
    "south",
  ]);
  const lost = { id: "p", name: "Sheet", footprint: null };
  expect([...apart([lost, { ...lost, id: "q" }]).values()]).toEqual(["1", "2"]);
  expect(apart([lost]).size).toBe(0);
});
