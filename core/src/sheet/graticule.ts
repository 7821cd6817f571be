import { type Crs, LONLAT, isGeographic, metresPerUnit, transformer } from "../geodesy/crs";
import { type Fonts, textAt } from "./fonts";
import { type Mark, group, line } from "./marks";
import { type Placed, niceDown, onPage } from "./scale";
import { INK, STYLES } from "./style";

/** Steps of lines of degrees, in seconds of arc. */
const STEPS = [
  ...[1, 2, 5, 10, 15, 20, 30, 60, 120, 300, 600, 900, 1200, 1800, 3600, 7200],
  ...[18_000, 36_000, 54_000, 108_000],
];
/** Parts in which lines of degrees are drawn, and in which the edges of a map are gone along. */
const PARTS = 48;
/** About how far lines lie apart, millimetres. */
const APART_MM = 34;
/** How far crosses lie apart at the most, millimetres. */
const CROSSES_MM = 45;
const LINE_MM = 0.12;
const CROSS_MM = 1.1;
const TICK_MM = 1.2;

const plain = (value: number): string => String(Math.abs(value)).padStart(2, "0");

/** A longitude or a latitude as it is written beside a map. @param seconds of arc */
export function degreesText(seconds: number, [plus, minus]: readonly [string, string]): string {
  const whole = Math.round(Math.abs(seconds));
  const [degrees, minutes, rest] = [
    Math.floor(whole / 3600),
    Math.floor(whole / 60) % 60,
    whole % 60,
  ];
  const fine = rest > 0 ? `${plain(minutes)}′${plain(rest)}″` : `${plain(minutes)}′`;
  const side = seconds < 0 ? minus : plus;
  return `${degrees}°${minutes + rest > 0 ? fine : ""}${whole === 0 ? "" : ` ${side}`}`;
}

/** The step of lines between two ends of which about so many are seen. @param span seconds of arc */
const stepFor = (span: number, lines: number): number =>
  STEPS.find((step) => span / step <= Math.max(1, lines)) ?? STEPS.at(-1)!;

/** Multiples of a step between two ends. */
function multiples(step: number, from: number, to: number): number[] {
  const first = Math.ceil(Math.min(from, to) / step);
  const last = Math.floor(Math.max(from, to) / step);
  return Array.from({ length: Math.max(0, last - first + 1) }, (_v, k) => (first + k) * step);
}

/** Where values along an edge pass a value: shares of the edge, between the places that they were taken at. */
function passing(along: readonly number[], value: number): number[] {
  return along.slice(1).flatMap((to, k) => {
    const from = along[k]!;
    const share = (value - from) / (to - from);
    return share >= 0 && share < 1 ? [(k + share) / (along.length - 1)] : [];
  });
}

const shares = Array.from({ length: PARTS + 1 }, (_v, k) => k / PARTS);

/** Degrees along the left and the lower edge of a map. */
function edgesOf(crs: Crs, { ground: [west, south, east, north] }: Placed) {
  const toLonLat = transformer(crs, LONLAT);
  return {
    latitudes: shares.map((share) => 3600 * toLonLat(west, north + share * (south - north))[1]),
    longitudes: shares.map((share) => 3600 * toLonLat(west + share * (east - west), south)[0]),
  };
}

/** Lines of one longitude or latitude over a map. */
function linesOfDegrees(
  { crs, placed }: { crs: Crs; placed: Placed },
  steps: { longitudes: number[]; latitudes: number[] },
  ends: { lon: [number, number]; lat: [number, number] },
): Mark {
  const fromLonLat = transformer(LONLAT, crs);
  const at = onPage(placed);
  const along = (from: number, to: number) => shares.map((share) => from + share * (to - from));
  const parts = [
    ...steps.longitudes.map((lon) =>
      along(...ends.lat).map((lat) => at(...fromLonLat(lon / 3600, lat / 3600))),
    ),
    ...steps.latitudes.map((lat) =>
      along(...ends.lon).map((lon) => at(...fromLonLat(lon / 3600, lat / 3600))),
    ),
  ];
  return { kind: "path", parts, isClosed: false, stroke: "#ffffff", line: LINE_MM };
}

/** Farthest degrees on the edges of a map, with some room. */
function endsOf(crs: Crs, { ground: [west, south, east, north] }: Placed) {
  const toLonLat = transformer(crs, LONLAT);
  const places = shares.flatMap((share) => {
    const [x, y] = [west + share * (east - west), south + share * (north - south)];
    return [toLonLat(x, south), toLonLat(x, north), toLonLat(west, y), toLonLat(east, y)];
  });
  const [lons, lats] = [places.map(([lon]) => 3600 * lon), places.map(([, lat]) => 3600 * lat)];
  const room = (values: number[]): [number, number] => {
    const [low, high] = [Math.min(...values), Math.max(...values)];
    return [low - 0.02 * (high - low), high + 0.02 * (high - low)];
  };
  return { lon: room(lons), lat: room(lats) };
}

/** What lies around a map on the page, millimetres: degrees to the left and below, metres to the others. */
export const MARGIN = { left: 2.6, right: 2.6, above: 2.6, below: 2.8 } as const;
const LABEL_GAP = 0.7;

/** Room that numbers keep from the ends of a side, millimetres. */
const CORNER_MM = 5;

const isBetween =
  (from: number, to: number) =>
  (value: number): boolean =>
    value >= from && value <= to;

/** Lines of degrees with their numbers to the left of a map, where they are turned, and below it. */
function degreeGrid(fonts: Fonts, crs: Crs, placed: Placed): { over: Mark[]; beside: Mark[] } {
  const { box } = placed;
  const edges = edgesOf(crs, placed);
  const ends = endsOf(crs, placed);
  const lon = stepFor(ends.lon[1] - ends.lon[0], box.width / APART_MM);
  const lat = stepFor(ends.lat[1] - ends.lat[0], box.height / APART_MM);
  const longitudes = multiples(lon, ...ends.lon);
  const latitudes = multiples(lat, ...ends.lat);
  const below = longitudes.flatMap((value) =>
    passing(edges.longitudes, value)
      .map((share) => ({ text: degreesText(value, ["E", "W"]), x: box.x + share * box.width }))
      .filter(({ x }) => isBetween(box.x + CORNER_MM, box.x + box.width - CORNER_MM)(x)),
  );
  const left = latitudes.flatMap((value) =>
    passing(edges.latitudes, value)
      .map((share) => ({ text: degreesText(value, ["N", "S"]), y: box.y + share * box.height }))
      .filter(({ y }) => isBetween(box.y + CORNER_MM, box.y + box.height - CORNER_MM)(y)),
  );
  const bottom = box.y + box.height;
  return {
    over: [linesOfDegrees({ crs, placed }, { longitudes, latitudes }, ends)],
    beside: [
      ...below.flatMap(({ text, x }) => [
        line([x, bottom], [x, bottom + TICK_MM / 2], INK, LINE_MM),
        ...textAt(
          fonts,
          text,
          [x, bottom + MARGIN.below - LABEL_GAP + 0.3],
          STYLES.small,
          "middle",
        ),
      ]),
      ...left.flatMap(({ text, y }) => [
        line([box.x - TICK_MM / 2, y], [box.x, y], INK, LINE_MM),
        ...turnedText(fonts, text, [box.x - LABEL_GAP, y], "up"),
      ]),
    ],
  };
}

/** Words that run up or down a side of a map, their middle at a place. */
function turnedText(
  fonts: Fonts,
  text: string,
  [x, y]: readonly [number, number],
  way: "up" | "down",
): Mark[] {
  const turn = way === "up" ? -90 : 90;
  return textAt(fonts, text, [0, 0], STYLES.small, "middle").map((mark) => ({
    ...mark,
    // Along the side: what lay to the right lies above or below.
    x,
    y: y + (way === "up" ? -mark.x : mark.x),
    turn,
  }));
}

/** A coordinate of a system beside a map: kilometres with as many decimals as its step needs. */
function metresText(value: number, step: number): string {
  const decimals = step >= 1000 ? 0 : Math.ceil(-Math.log10(step / 1000) - 1e-9);
  return `${(value / 1000).toFixed(decimals).replace("-", "−")} km`;
}

/** Crosses of the system's own coordinates over a map, with their numbers above and to the right. */
function metreGrid(fonts: Fonts, crs: Crs, placed: Placed): { over: Mark[]; beside: Mark[] } {
  if (isGeographic(crs)) {
    return { over: [], beside: [] };
  }
  const { box, ground, perMm } = placed;
  const [west, south, east, north] = ground;
  const unit = metresPerUnit(crs);
  // Of the span of the shorter side there are two crosses or more.
  const shorter = Math.min(box.width, box.height) * perMm * unit;
  const step = niceDown(Math.max(Math.min(CROSSES_MM * perMm * unit, shorter / 2), 1)) / unit;
  const at = onPage(placed);
  const xs = multiples(step, west, east);
  const ys = multiples(step, south, north);
  // Numbers keep off the corner that both sides share.
  const free = CORNER_MM * perMm;
  const crosses = xs.flatMap((x) =>
    ys.map((y) => {
      const [px, py] = at(x, y);
      return [
        [
          [px - CROSS_MM, py],
          [px + CROSS_MM, py],
        ],
        [
          [px, py - CROSS_MM],
          [px, py + CROSS_MM],
        ],
      ] as const;
    }),
  );
  const right = box.x + box.width;
  return {
    over: [
      { kind: "path", parts: crosses.flat(), isClosed: false, stroke: "#ffffff", line: 0.3 },
      { kind: "path", parts: crosses.flat(), isClosed: false, stroke: INK, line: LINE_MM },
    ],
    beside: [
      ...xs.filter(isBetween(west + free, east - free)).flatMap((x) => {
        const [px] = at(x, north);
        return [
          line([px, box.y - TICK_MM / 2], [px, box.y], INK, LINE_MM),
          ...textAt(
            fonts,
            metresText(x * unit, step * unit),
            [px, box.y - LABEL_GAP - 0.2],
            STYLES.small,
            "middle",
          ),
        ];
      }),
      ...ys.filter(isBetween(south + free, north - free)).flatMap((y) => {
        const [, py] = at(east, y);
        return [
          line([right, py], [right + TICK_MM / 2, py], INK, LINE_MM),
          ...turnedText(fonts, metresText(y * unit, step * unit), [right + LABEL_GAP, py], "down"),
        ];
      }),
    ],
  };
}

/** Lines and numbers of degrees and metres, over a map and around it. */
export function graticule(fonts: Fonts, crs: Crs, placed: Placed): { over: Mark; beside: Mark } {
  const [degrees, metres] = [degreeGrid(fonts, crs, placed), metreGrid(fonts, crs, placed)];
  return {
    over: group("decor", [...degrees.over, ...metres.over], { clip: placed.box }),
    beside: group("decor", [...degrees.beside, ...metres.beside]),
  };
}
