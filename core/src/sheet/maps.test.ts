import geodesic from "geographiclib-geodesic";
import { LONLAT, transformer, utm } from "../geodesy/crs";
import { degreesText, graticule } from "./graticule";
import { mapPlaced } from "./mapFrame";
import type { RectMark } from "./marks";
import { leaves } from "./marks";
import { northAt } from "./north";
import { metresAt, middleOf, niceDown, niceUp, onPage, placed, scaleOf } from "./scale";
import { scaleBar } from "./scaleBar";
import { TEST_FONTS, someFacts, textsIn } from "./testing";
import { metresOfFacts } from "./views";

const facts = someFacts();
const drawing = {
  ...{ fonts: TEST_FONTS, facts, metres: metresOfFacts(facts) },
  paper: { scale: 1, name: "A4" },
};
const box = { x: 9, y: 30, width: 180, height: 120 };
const map = mapPlaced(drawing, { kind: "change", box, ground: facts.ground, detail: null });

/** Longitude and latitude of a place on the page. */
function placeAt(x: number, y: number): [number, number] {
  const { ground, perMm } = map;
  return transformer(facts.crs, LONLAT)(
    ground[0] + (x - map.box.x) * perMm,
    ground[3] - (y - map.box.y) * perMm,
  );
}
const metresBetween = (a: [number, number], b: [number, number]): number =>
  geodesic.Geodesic.WGS84.Inverse(a[1], a[0], b[1], b[0]).s12!;

test.each([
  [83_000, 100_000, 50_000],
  [125_000, 125_000, 100_000],
  [1, 1, 1],
  [0.021, 0.025, 0.02],
  [9.9, 10, 5],
])("%d is rounded up to %d and down to %d", (value, up, down) => {
  expect(niceUp(value)).toBeCloseTo(up, 9);
  expect(niceDown(value)).toBeCloseTo(down, 9);
});

test("all of the ground is seen, in the middle of its box, at a round scale", () => {
  const { ground } = map;
  expect(ground[0]).toBeLessThanOrEqual(facts.ground[0]);
  expect(ground[1]).toBeLessThanOrEqual(facts.ground[1]);
  expect(ground[2]).toBeGreaterThanOrEqual(facts.ground[2]);
  expect(ground[3]).toBeGreaterThanOrEqual(facts.ground[3]);
  expect(middleOf(ground)[0]).toBeCloseTo(middleOf(facts.ground)[0], 6);
  expect(scaleOf(map, 1, drawing.metres)).toBe(125_000);
  // On A3 the same drawing is printed larger by the root of two.
  const large = placed(facts.ground, map.box, Math.SQRT2, drawing.metres);
  // 19.9 km on 175 mm are 114 m a millimetre that is drawn, and 80.6 m one that is printed.
  expect(scaleOf(large, Math.SQRT2, drawing.metres)).toBe(100_000);
});

test("a scale holds on the ground: a millimetre of the middle is what it says", () => {
  const [cx, cy] = [map.box.x + map.box.width / 2, map.box.y + map.box.height / 2];
  const metres = metresBetween(placeAt(cx - 0.5, cy), placeAt(cx + 0.5, cy));
  expect(metres).toBeCloseTo(125, 2);
  // At the central meridian a metre of the system is 1 / 0.9996 metres of ground.
  expect(metresAt(utm(27, true), [500_000, 5_172_000])).toBeCloseTo(1 / 0.9996, 6);
});

test("the scale bar is as long as it says on the ground", () => {
  const bar = scaleBar(TEST_FONTS, map, drawing.metres, { scale: 1, name: "A4" });
  const parts = [...leaves([bar])].filter(
    (mark): mark is RectMark => mark.kind === "rect" && mark.height < 1,
  );
  const left = Math.min(...parts.map(({ x }) => x));
  const right = Math.max(...parts.map(({ x, width }) => x + width));
  const said = textsIn([bar]).map(({ text }) => text);
  expect(said).toEqual(["1 : 125\u2009000 on A4", "0", "5 km"]);
  const y = map.box.y + map.box.height / 2;
  const middle = map.box.x + map.box.width / 2;
  const half = (right - left) / 2;
  expect(metresBetween(placeAt(middle - half, y), placeAt(middle + half, y))).toBeCloseTo(5000, 0);
  const slide = scaleBar(TEST_FONTS, map, drawing.metres, { scale: 1, name: null });
  expect(textsIn([slide]).map(({ text }) => text)).toEqual(["0", "5 km"]);
});

test("degrees stand where they are", () => {
  const { beside } = graticule(TEST_FONTS, facts.crs, map);
  const degrees = textsIn([beside]).filter(({ text }) => text.includes("°"));
  expect(degrees.length).toBeGreaterThan(3);
  for (const { text, x, y, turn = 0, size } of degrees) {
    const [, whole, minutes = "0", side] = /^(\d+)°(?:(\d+)′)? ?([NSEW])/.exec(text)!;
    const value = (Number(whole) + Number(minutes) / 60) * (/[SW]/.test(side!) ? -1 : 1);
    const half = 0.25 * size * [...text].length;
    const [lon, lat] =
      turn === 0 ? placeAt(x + half, map.box.y + map.box.height) : placeAt(map.box.x, y - half);
    expect(/[EW]/.test(side!) ? lon : lat).toBeCloseTo(value, 3);
  }
});

test("kilometres of the system stand where they are, off the corners", () => {
  const { beside } = graticule(TEST_FONTS, facts.crs, map);
  const metres = textsIn([beside]).filter(({ text }) => text.endsWith("km"));
  expect(metres.length).toBeGreaterThan(3);
  for (const { text, x, y, turn = 0, size } of metres) {
    const half = 0.25 * size * [...text].length;
    const value = 1000 * Number(text.replace(" km", ""));
    const at = onPage(map);
    const there = turn === 0 ? at(value, map.ground[3])[0] : at(map.ground[2], value)[1];
    expect(turn === 0 ? x + half : y + half).toBeCloseTo(there, 6);
    expect(there).toBeGreaterThan((turn === 0 ? map.box.x : map.box.y) + 3);
  }
});

test.each([
  [-75_600, ["E", "W"], "21° W"],
  [-156_900, ["N", "S"], "43°35′ S"],
  [0, ["N", "S"], "0°"],
  [3_661, ["E", "W"], "1°01′01″ E"],
] as const)("%d seconds are written as degrees", (seconds, sides, said) => {
  expect(degreesText(seconds, sides)).toBe(said);
});

test("north is turned by the convergence of the meridians", () => {
  const zone = utm(27, true);
  // 2.5 degrees east of the central meridian at 43.5 degrees south.
  const [x, y] = transformer(LONLAT, zone)(-18.5, -43.5);
  const far = placed([x - 5000, y - 5000, x + 5000, y + 5000], box, 1, 1);
  const [dx, dy] = northAt(zone, far);
  const radians = Math.PI / 180;
  const convergence = Math.atan(Math.tan(2.5 * radians) * Math.sin(-43.5 * radians));
  // Grid north is up; true north lies to the left of it east of the meridian in the north, to the right here.
  expect(Math.atan2(dx, -dy)).toBeCloseTo(-convergence, 3);
});
