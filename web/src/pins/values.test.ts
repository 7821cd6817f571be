import { type Pin, type PlaceValues, pinState, seriesOf } from "./values";

const scene = (
  sceneId: string,
  day: string,
  vv: number | null,
  extra: Partial<PlaceValues["scenes"][0]> = {},
): PlaceValues["scenes"][0] => ({
  sceneId,
  name: sceneId,
  kind: "radar",
  acquiredAt: `2025-05-${day}T18:00:00Z`,
  bands: [
    { key: "VV", name: "gamma0 VV", unit: "dB", role: "power" },
    { key: "local incidence", name: "local incidence", unit: "°", role: "angle" },
  ],
  classes: null,
  values: [[vv, 38]],
  problem: null,
  ...extra,
});
const placeValues: PlaceValues = {
  scenes: [scene("after", "14", -19), scene("before", "02", -9), scene("gone", "20", null)],
  heights: [12],
};
const pin = (expected: Pin["expected"]): Pin => ({
  id: "p",
  studyId: "s",
  name: "p",
  lon: 0,
  lat: 0,
  expected,
  createdAt: "2025-05-14T00:00:00Z",
});

test("a pin is met when every date it speaks of is within the tolerance, missed by naming those that are not", () => {
  expect(pinState(pin(null), 0, placeValues).state).toBe("free");
  expect(
    pinState(pin({ sceneId: null, band: "VV", value: -14, tolerance: 5 }), 0, placeValues).state,
  ).toBe("met");
  expect(
    pinState(pin({ sceneId: null, band: "VV", value: -9, tolerance: 2 }), 0, placeValues),
  ).toEqual({
    state: "missed",
    missed: [{ sceneId: "after", value: -19 }],
  });
  expect(
    pinState(pin({ sceneId: "before", band: "VV", value: -9, tolerance: 2 }), 0, placeValues).state,
  ).toBe("met");
});
test("without a value there is nothing to be met", () => {
  expect(
    pinState(pin({ sceneId: "gone", band: "VV", value: -9, tolerance: 2 }), 0, placeValues).state,
  ).toBe("unknown");
  expect(
    pinState(pin({ sceneId: null, band: "HH", value: -9, tolerance: 2 }), 0, placeValues).state,
  ).toBe("unknown");
  expect(
    pinState(pin({ sceneId: null, band: "VV", value: -9, tolerance: 2 }), 0, undefined).state,
  ).toBe("unknown");
});
test("series run in the order of time, over bands that hold numbers", () => {
  expect(seriesOf(placeValues, 0)).toEqual([
    {
      key: "VV",
      unit: "dB",
      points: [
        { t: Date.parse("2025-05-02T18:00:00Z"), value: -9, sceneId: "before" },
        { t: Date.parse("2025-05-14T18:00:00Z"), value: -19, sceneId: "after" },
      ],
    },
  ]);
});
