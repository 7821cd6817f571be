import { LONLAT, transformer } from "../geodesy/crs";
import type { SheetFacts } from "./facts";
import { type Fonts, LEADING, textAt } from "./fonts";
import { degreesText } from "./graticule";
import { type Box, type Mark, group, line } from "./marks";
import { INK, SOFT, STYLES } from "./style";

/** Sides of the map of where it lies: so many times the map's own, and degrees at the least and most. */
const TIMES = 10;
const LEAST_DEG = 6;
const MOST_DEG = 60;
const LAND = "#e2dccb";
const SEA = "#eef2f2";
const MARK = "#a4342b";
const DEGREES = "#c8cfcc";
/** A ground that is smaller than this on the page is marked by a ring too. */
const SMALL_MM = 2.4;

/** Ends of the ground of a map in longitude and latitude. */
function onGlobe({ crs, ground: [west, south, east, north] }: SheetFacts) {
  const toLonLat = transformer(crs, LONLAT);
  const corners = [
    toLonLat(west, south),
    toLonLat(east, south),
    toLonLat(east, north),
    toLonLat(west, north),
  ];
  const [lons, lats] = [corners.map(([lon]) => lon), corners.map(([, lat]) => lat)];
  return {
    west: Math.min(...lons),
    east: Math.max(...lons),
    south: Math.min(...lats),
    north: Math.max(...lats),
  };
}

/** Whole steps of degrees of which about three are seen. */
const stepOf = (span: number): number =>
  [1, 2, 5, 10, 15, 30].find((step) => span / step <= 3.5) ?? 30;

const multiples = (step: number, from: number, to: number): number[] => {
  const first = Math.ceil(from / step);
  return Array.from({ length: Math.floor(to / step) - first + 1 }, (_v, k) => (first + k) * step);
};

/** Degrees around a place that are shown: some, or as many as bring land into sight. */
function withLand({ land }: SheetFacts, [lon, lat]: readonly [number, number], least: number) {
  const isIn = (degrees: number) =>
    land.some((ring) =>
      ring.some(([x, y]) => Math.abs(x - lon) < degrees / 2.5 && Math.abs(y - lat) < degrees / 2.5),
    );
  let degrees = least;
  while (!isIn(degrees) && degrees < MOST_DEG) {
    degrees = Math.min(MOST_DEG, degrees * 1.4);
  }
  return degrees;
}

/** Where degrees lie in a box, and which lines of them are seen. */
interface Globe {
  inner: Box;
  at(lon: number, lat: number): [number, number];
  lons: number[];
  lats: number[];
  foot: number;
}

/** Degrees around a map in a box, below a heading and above their numbers. */
function globeIn(facts: SheetFacts, own: ReturnType<typeof onGlobe>, box: Box): Globe {
  const head = STYLES.heading.size * LEADING + 0.6;
  const foot = STYLES.small.size * LEADING + 0.4;
  const inner = { ...box, y: box.y + head, height: Math.max(3, box.height - head - foot) };
  const [lon, lat] = [(own.west + own.east) / 2, (own.south + own.north) / 2];
  const narrow = Math.max(0.1, Math.cos((lat * Math.PI) / 180));
  const span = Math.max(own.north - own.south, (own.east - own.west) * narrow) * TIMES;
  const down = withLand(facts, [lon, lat], Math.min(MOST_DEG, Math.max(LEAST_DEG, span)));
  const perMm = down / Math.min(inner.height, inner.width);
  const half = { across: (inner.width * perMm) / narrow / 2, down: (inner.height * perMm) / 2 };
  const step = stepOf(2 * half.across);
  return {
    ...{ inner, foot },
    at: (x, y) => [
      inner.x + inner.width / 2 + ((x - lon) * narrow) / perMm,
      inner.y + inner.height / 2 - (y - lat) / perMm,
    ],
    lons: multiples(step, lon - half.across, lon + half.across),
    lats: multiples(step, Math.max(-90, lat - half.down), Math.min(90, lat + half.down)),
  };
}

/** Land, lines of degrees and the ground of the map. */
function drawn({ land }: SheetFacts, own: ReturnType<typeof onGlobe>, globe: Globe): Mark[] {
  const { inner, at, lons, lats } = globe;
  const [left, top] = at(own.west, own.north);
  const [right, bottom] = at(own.east, own.south);
  const ground = { x: left, y: top, width: right - left, height: bottom - top };
  const isSmall = Math.max(ground.width, ground.height) < SMALL_MM;
  const ring: Mark = {
    ...{ kind: "path", isClosed: true, stroke: MARK, line: 0.35 },
    parts: [circle([(left + right) / 2, (top + bottom) / 2], SMALL_MM)],
  };
  const [end, foot] = [inner.x + inner.width, inner.y + inner.height];
  return [
    { kind: "rect", ...inner, fill: SEA },
    {
      ...{ kind: "path", isClosed: true, fill: LAND, stroke: SOFT, line: 0.1 },
      parts: land.map((one) => one.map(([x, y]) => at(x, y))),
    },
    ...lons.map((x) => line([at(x, 0)[0], inner.y], [at(x, 0)[0], foot], DEGREES, 0.1)),
    ...lats.map((y) => line([inner.x, at(0, y)[1]], [end, at(0, y)[1]], DEGREES, 0.1)),
    { kind: "rect", ...ground, fill: MARK, opacity: 0.25, stroke: MARK, line: 0.3 },
    ...(isSmall ? [ring] : []),
  ];
}

/** Numbers of the lines of degrees: below, and at the left inside. */
function numbers(fonts: Fonts, { inner, at, lons, lats, foot }: Globe): Mark[] {
  const below = inner.y + inner.height + foot - 0.5;
  const within = (x: number) =>
    Math.min(inner.x + inner.width - 3, Math.max(inner.x + 3, at(x, 0)[0]));
  const isIn = (y: number) => y > inner.y + 2.4 && y < inner.y + inner.height - 0.4;
  const style = STYLES.small;
  return [
    ...lons
      .slice(0, 4)
      .flatMap((x) =>
        textAt(fonts, degreesText(x * 3600, EAST), [within(x), below], style, "middle"),
      ),
    ...lats
      .map((y) => ({ text: degreesText(y * 3600, NORTH), y: at(0, y)[1] }))
      .filter(({ y }) => isIn(y))
      .flatMap(({ text, y }) => textAt(fonts, text, [inner.x + 0.5, y - 0.4], style)),
  ];
}

const EAST = ["E", "W"] as const;
const NORTH = ["N", "S"] as const;

/** Degrees and land around the map, with the ground of the map marked. */
export function locator(fonts: Fonts, facts: SheetFacts, box: Box): Mark[] {
  const own = onGlobe(facts);
  const globe = globeIn(facts, own, box);
  const said = (values: number[], names: readonly [string, string]) =>
    values.map((value) => degreesText(value * 3600, names)).join(", ");
  const [lons, lats] = [said([own.west, own.east], EAST), said([own.south, own.north], NORTH)];
  const style = STYLES.heading;
  return [
    group("heading", textAt(fonts, "Where it lies", [box.x, box.y + style.size * 0.95], style)),
    group("figure", drawn(facts, own, globe), {
      clip: globe.inner,
      alt: `Where the map lies: between ${lons} and ${lats}`,
    }),
    group("decor", [
      { kind: "rect", ...globe.inner, stroke: INK, line: 0.15 },
      ...numbers(fonts, globe),
    ]),
  ];
}

const CORNERS = 32;
const circle = ([x, y]: readonly [number, number], radius: number): [number, number][] =>
  Array.from({ length: CORNERS }, (_v, k) => {
    const angle = (2 * Math.PI * k) / CORNERS;
    return [x + radius * Math.cos(angle), y + radius * Math.sin(angle)];
  });
