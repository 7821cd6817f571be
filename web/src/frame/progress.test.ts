import { aScene, aStudy, anImage } from "../testing/things";
import { progressOf } from "./progress";

const date = (id: string, more: Parameters<typeof aScene>[0] = {}) =>
  aScene({ id, acquiredAt: "2025-05-02T00:00:00Z", imageId: `i${id}`, info: anImage(), ...more });
const row = (ready: boolean, state: "held" | "waiting" = "waiting") => ({
  ready,
  cells: [{ state }],
});
const standing = (more: Partial<Parameters<typeof progressOf>[0]> = {}) =>
  progressOf({ study: aStudy(), scenes: [], maps: [], rows: [], ...more });

test("an empty study needs everything, and nothing has come far", () => {
  const all = standing();
  expect(Object.values(all).map(({ share }) => share)).toEqual([0, 0, 0, 0, 0, 0, 0, 0]);
  expect(all.scenes.needs).toBe("Needs a scene from before and one from after");
  expect(all.prepare.needs).toBe("Needs scenes");
  expect(all.review.needs).toBe("Needs a change map");
});

test("dates that came calibrated are prepared, and can be compared", () => {
  const all = standing({ scenes: [date("a"), date("b")] });
  expect(all.scenes.share).toBe(1);
  expect(all.prepare).toEqual({
    share: 1,
    needs: "The scenes are calibrated and on the map already",
  });
  expect(all.compare.share).toBeGreaterThan(0);
  expect(all.align.share).toBe(0.5);
});

test("land cover is classified once a map of it is there", () => {
  const map = date("m", { info: anImage({ type: "class8" }) });
  expect(standing({ scenes: [date("a"), map] }).classify).toEqual({
    share: 1,
    needs: "1 map of land cover",
  });
  expect(standing({ scenes: [date("a")] }).classify.share).toBe(0);
});

test("products are prepared as far as their rows are; dates that are held out do not count", () => {
  const scenes = [
    date("a", {
      info: anImage({ optical: { level: 1, sunElevationDeg: 40, sunAzimuthDeg: null } }),
    }),
  ];
  const rows = [row(true), row(false), row(false, "held")];
  expect(standing({ scenes, rows }).prepare).toEqual({
    share: 0.5,
    needs: "1 of 2 dates are prepared",
  });
  expect(standing({ scenes, rows: [row(true)] }).prepare.needs).toBe("Every date is prepared");
});

test("pictures need a position before anything else is said of Align", () => {
  const lost = date("p", {
    info: anImage({
      grid: { ...anImage().grid, crs: { ...anImage().grid.crs, code: "PICTURE:1" } },
    }),
  });
  expect(standing({ scenes: [lost] }).align).toEqual({
    share: 0,
    needs: "0 of 1 pictures have a position",
  });
});

test("one date that is levelled is told", () => {
  const level = { referenceId: "b", method: "histogram", bands: [], cells: 9 } as const;
  const study = aStudy({ align: { a: { place: null, level: { ...level, bands: [] } } } });
  expect(standing({ study, scenes: [date("a"), date("b")] }).align).toEqual({
    share: 1,
    needs: "1 date is moved or levelled",
  });
});
