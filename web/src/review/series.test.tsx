/** @jest-environment jsdom */
import { screen } from "@testing-library/react";
import { answersTo, fakeServer, renderPart } from "../testing/page";
import { aChangeMap, aScene, aStudy, idOf } from "../testing/things";
import { PlaceSeries } from "./PatchSeries";

// A place that lay at −10 dB and fell to −19 with the flood.
const DAYS = ["2025-05-02", "2025-05-14"];
const scenes = DAYS.map((day, k) =>
  aScene({ id: idOf(k + 1), name: day, acquiredAt: `${day}T18:00:00.000Z` }),
);
const values = {
  heights: [null],
  scenes: scenes.map(({ id, name, acquiredAt }, k) => ({
    ...{ sceneId: id, name, kind: "radar", acquiredAt, classes: null, problem: null },
    bands: [{ key: "VV", name: "gamma0 VV", unit: "dB", role: "power" }],
    values: [[[-10, -19][k]]],
  })),
};
const table = {
  "/sides": [],
  "/values": values,
  "/normal": { band: { middle: -10, low: -12.5, high: -7.5, beyond: 3.5 } },
};
const series = { normal: [], watched: [] };

/** Shows the curve of a map, and gives what was asked for. */
async function shown(isOfSeries: boolean) {
  const map = aChangeMap();
  const provenance = isOfSeries ? { ...map.provenance, series } : map.provenance;
  const asked = fakeServer(answersTo({}, table));
  const [before, after] = scenes;
  renderPart(
    <PlaceSeries
      study={aStudy()}
      map={{ ...map, provenance }}
      place={[-21, -43.6]}
      where="at the place"
      before={before!}
      after={after!}
      bandName="gamma0 VV"
    />,
  );
  const curve = await screen.findByRole("img", { name: /VV at the place on all dates, dB/ });
  return { curve, asked };
}

test("a curve of a map against earlier dates shows what is normal, in words too", async () => {
  const { curve } = await shown(true);
  await screen.findByText("Shaded: normal, −12.5 to −7.5 dB, within 3.5 σ");
  expect(curve.getAttribute("aria-label")).toMatch(
    /2 May 2025: −10.0; 14 May 2025: −19.0. Shaded: normal/,
  );
});

test("of a map of two dates nobody asks what is normal", async () => {
  const { curve, asked } = await shown(false);
  expect(curve.getAttribute("aria-label")).toMatch(/14 May 2025: −19.0$/);
  expect(asked.some(({ path }) => path.includes("/normal"))).toBe(false);
});
