import { isNearChange } from "./sample";
import { type Seen, type Tested, wholeOutcome, zoneOutcomes } from "./outcome";

const FLOOD = 1;
const WET = 2;
const strata = [
  { id: 0, label: 0, cells: 800, areaM2: 8e6 },
  { id: FLOOD, label: FLOOD, cells: 150, areaM2: 1.5e6 },
  { id: WET, label: WET, cells: 50, areaM2: 0.5e6 },
];
const tested: Tested = { strata, design: { drawing: "stratified" } };
const seen: Seen = {
  counts: [
    { stratum: 0, zone: 1, reference: 0, units: 38 },
    { stratum: 0, zone: 1, reference: FLOOD, units: 2 },
    { stratum: FLOOD, zone: 1, reference: FLOOD, units: 30 },
    { stratum: FLOOD, zone: 2, reference: 0, units: 1 },
  ],
  zones: [
    { ...strata[0]!, zone: 1 },
    { ...strata[1]!, zone: 1, areaM2: 1e6 },
    { ...strata[1]!, zone: 2, areaM2: 0.5e6 },
  ],
};

test("classes without a place are left out, and the others weigh by their area", () => {
  const { accuracy, leftOut, places } = wholeOutcome(tested, seen);
  expect(leftOut.map(({ id }) => id)).toEqual([WET]);
  expect(places).toBe(71);
  // By hand: shares 8 and 1.5 of 9.5.
  const right = (8 / 9.5) * (38 / 40) + (1.5 / 9.5) * (30 / 31);
  expect(accuracy!.overall.value).toBeCloseTo(right, 12);
});

test("a class that was seen and has no place of its own keeps its mapped area", () => {
  const counts = [
    { stratum: 0, zone: 1, reference: 0, units: 30 },
    { stratum: 0, zone: 1, reference: FLOOD, units: 10 },
    { stratum: WET, zone: 1, reference: WET, units: 5 },
  ];
  const { accuracy, leftOut } = wholeOutcome(tested, { counts });
  expect(leftOut.map(({ id }) => id)).toEqual([FLOOD]);
  const flood = accuracy!.classes.find(({ label }) => label === FLOOD)!;
  // A quarter of the places of 8 km² are flood; of its own ground nothing is known.
  expect([flood.mappedM2, flood.users, flood.area]).toEqual([1.5e6, null, null]);
  const wet = accuracy!.classes.find(({ label }) => label === WET)!;
  expect([wet.mappedM2, wet.area!.value]).toEqual([0.5e6, expect.closeTo(0.5e6, 6)]);
});

test("a zone is told where each class of it has two places", () => {
  const zones = zoneOutcomes(seen);
  expect(zones.map(({ zone, places, outcome }) => [zone, places, outcome !== null])).toEqual([
    [1, 70, true],
    [2, 1, false],
  ]);
  const flood = zones[0]!.outcome!.accuracy!.classes.find(({ label }) => label === FLOOD)!;
  // By hand: two of 40 places of 8 km², and all of 1 km².
  expect(flood.area!.value).toBeCloseTo(8e6 * (2 / 40) + 1e6, 6);
});

test("areas of known class tell of their own cells alone, without intervals", () => {
  const { accuracy, leftOut, places } = wholeOutcome(
    { strata, design: { drawing: "areas" } },
    seen,
  );
  expect([places, leftOut]).toEqual([71, []]);
  expect(accuracy!.overall.value).toBeCloseTo(68 / 71, 12);
  expect(accuracy!.overall).toMatchObject({ standardError: null, low: null, high: null });
});

test("nothing is said while nobody looked", () => {
  const { accuracy, leftOut } = wholeOutcome(tested, { counts: [] });
  expect(accuracy).toBeNull();
  expect(leftOut).toHaveLength(3);
});

test("ground near change is no change in a stratum of another number", () => {
  expect(strata.map(isNearChange)).toEqual([false, false, false]);
  expect(isNearChange({ id: 3, label: 0 })).toBe(true);
});
