import { sourceNode } from "../graph/node";
import { northUp } from "../grid/grid";
import { utm } from "../geodesy/crs";
import type { ImageInfo } from "../graph/image";
import { emptySetup } from "./defaults";
import { type SeriesCandidate, apartInYear, seriesFrom } from "./series";

const info = (name = "VV"): ImageInfo => ({
  grid: northUp(utm(27, true), 0, 0, 10, 10, 4, 4),
  type: "float32",
  bands: [{ name, unit: "", role: "power", polarisation: name }],
});
const date = (id: string, day: string, more: Partial<SeriesCandidate> = {}): SeriesCandidate => ({
  ...{ id, acquiredAt: `${day}T18:00:00Z`, kind: "radar", pass: "descending", isKept: true },
  side: { node: sourceNode(id), info: info() },
  ...more,
});
const setup = {
  ...emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false }),
  measure: "departure" as const,
};
const pair = { beforeId: "may2", afterId: "may14" };
const dates = [
  date("may26", "2025-05-26"),
  date("may14", "2025-05-14"),
  date("may2", "2025-05-02"),
  date("april", "2025-04-20"),
  date("winter", "2024-12-01"),
  date("lastYear", "2024-05-10"),
];
const ids = (candidates: SeriesCandidate[], more: object = {}) => {
  const series = seriesFrom(candidates, pair, { ...setup, ...more })!;
  return { normal: series.normal, watched: series.watched, left: series.left };
};

test("dates up to before are normal, those after it are watched, each in its order", () => {
  expect(ids(dates)).toEqual({
    normal: ["lastYear", "winter", "april", "may2"],
    ...{ watched: ["may14", "may26"], left: [] },
  });
  const { sides } = seriesFrom(dates, pair, setup)!;
  expect(sides.watched.map(({ day }) => day)).toEqual([12, 24]);
});

test("of another time of year is nothing normal, in whatever year it lies", () => {
  expect(ids(dates, { seasonDays: 30 }).normal).toEqual(["lastYear", "april", "may2"]);
  const new_ = Date.parse("2025-01-03T00:00:00Z");
  // From 29 December of another year on: five days, over the turn of the year.
  const apart = apartInYear(new_, Date.parse("2019-12-29T00:00:00Z"));
  // Years have whole days, and the mean one a quarter more.
  expect(Math.abs(apart - 5)).toBeLessThan(1);
  expect(apartInYear(new_, Date.parse("2022-07-04T00:00:00Z"))).toBeGreaterThan(180);
});

test("another pass and another kind are no part of it; what is not prepared is told", () => {
  const more = [
    date("up", "2025-04-21", { pass: "ascending" }),
    date("eye", "2025-04-22", { kind: "optical" }),
    date("raw", "2025-04-23", { side: null }),
    date("unkept", "2025-04-24", { isKept: false }),
    date("other", "2025-04-25", { side: { node: sourceNode("other"), info: info("HH") } }),
    date("undated", "2025-04-26", { acquiredAt: null }),
  ];
  const found = ids([...dates, ...more]);
  expect(found.normal).toEqual(["lastYear", "winter", "april", "may2"]);
  expect(found.left).toEqual(["raw", "unkept", "other"]);
});

test("frames that share an image count once; the pair is part of it, kept or not", () => {
  const frame = date("frame", "2025-04-20", { side: { node: sourceNode("april"), info: info() } });
  const unkept = dates.map((one) => (one.id === "may2" ? { ...one, isKept: false } : one));
  expect(ids([...unkept, frame]).normal).toEqual(["lastYear", "winter", "april", "may2"]);
});

test("a measure of the pair alone has no series", () => {
  expect(seriesFrom(dates, pair, { ...setup, measure: "logRatio" })).toBeNull();
});
