import { type Crs, LONLAT, transformer } from "../geodesy/crs";
import { type Fonts, textAt } from "./fonts";
import { type Mark, group } from "./marks";
import { type Placed, middleOf, onPage } from "./scale";
import { plate } from "./scaleBar";
import { INK, PAPER, STYLES } from "./style";

const LONG = 5.6;
const HALF = 1.5;
const INSET = 1.4;
const SIZE = { width: 6, height: 10 };

/** Direction to the north at a place of the system: an arrow's unit vector on the page. */
export function northAt(crs: Crs, placed: Placed): [number, number] {
  const [x, y] = middleOf(placed.ground);
  const [lon, lat] = transformer(crs, LONLAT)(x, y);
  const at = onPage(placed);
  const from = at(...transformer(LONLAT, crs)(lon, lat - 1e-3));
  const to = at(...transformer(LONLAT, crs)(lon, lat + 1e-3));
  const length = Math.hypot(to[0] - from[0], to[1] - from[1]);
  return [(to[0] - from[0]) / length, (to[1] - from[1]) / length];
}

/** An arrow to true north in the middle of a map, in its upper right corner. */
export function northArrow(fonts: Fonts, crs: Crs, placed: Placed): Mark {
  const { box } = placed;
  const ground = { x: box.x + box.width - INSET - SIZE.width, y: box.y + INSET, ...SIZE };
  const [dx, dy] = northAt(crs, placed);
  const [cx, cy] = [ground.x + SIZE.width / 2, ground.y + 6.4];
  const at = (along: number, aside: number): [number, number] => [
    cx + along * dx - aside * dy,
    cy + along * dy + aside * dx,
  ];
  const half = LONG / 2;
  const side = (aside: number, fill: string): Mark => ({
    ...{ kind: "path", isClosed: true, fill, stroke: INK, line: 0.15 },
    parts: [[at(half, 0), at(-half, aside), at(-half * 0.6, 0)]],
  });
  return group("decor", [
    plate(ground),
    side(-HALF, INK),
    side(HALF, PAPER),
    ...textAt(fonts, "N", [cx, ground.y + 2.6], STYLES.strong, "middle"),
  ]);
}
