import { number } from "../text/number";
import { type Fonts, LEADING, textAt, widthOf } from "./fonts";
import { type Box, type Mark, group } from "./marks";
import { type Placed, niceDown, scaleOf } from "./scale";
import { INK, PAPER, STYLES } from "./style";

/** Share of a map's width that its scale bar takes at the most. */
const SHARE = 0.3;
const PARTS = 4;
const HIGH = 0.9;
const INSET = 1.4;
const PAD = 1;

/** A length as it stands at a scale bar. */
const lengthText = (metres: number): string =>
  metres >= 1000 ? `${number(metres / 1000, metres % 1000 === 0 ? 0 : 1)} km` : `${metres} m`;

/** Ground behind words over a map. */
export const plate = ({ x, y, width, height }: Box): Mark => ({
  ...{ kind: "rect", x, y, width, height, fill: PAPER, opacity: 0.86 },
});

/** The paper that a page is printed on: how many times larger than it is drawn, and its name; null: none. */
export interface PrintedPaper {
  scale: number;
  name: string | null;
}

/**
 * A bar of a round length of ground in the lower left corner of a map, with the scale above it where the page
 * is printed on paper.
 * @param metres of ground that a unit of the system stands for in the middle of the map
 */
export function scaleBar(fonts: Fonts, placed: Placed, metres: number, paper: PrintedPaper): Mark {
  const { box, perMm } = placed;
  const style = STYLES.small;
  const length = niceDown(SHARE * box.width * perMm * metres);
  const width = length / metres / perMm;
  const end = lengthText(length);
  const scale =
    paper.name === null
      ? null
      : `1 : ${number(scaleOf(placed, paper.scale, metres))} on ${paper.name}`;
  const above = scale === null ? 0 : style.size * LEADING;
  const inner = Math.max(
    width + widthOf(fonts, end, style) / 2 + 0.8,
    scale === null ? 0 : widthOf(fonts, scale, style),
  );
  const height = above + style.size * LEADING + HIGH + 2 * PAD;
  const ground = {
    ...{ x: box.x + INSET, y: box.y + box.height - INSET - height },
    ...{ width: inner + 2 * PAD, height },
  };
  const left = ground.x + PAD + 0.4;
  const top = ground.y + PAD + above;
  const part = width / PARTS;
  return group("decor", [
    plate(ground),
    ...(scale === null
      ? []
      : textAt(fonts, scale, [ground.x + PAD, ground.y + PAD + style.size * 0.85], style)),
    ...Array.from({ length: PARTS }, (_v, k): Mark => ({
      ...{ kind: "rect", x: left + k * part, y: top, width: part, height: HIGH },
      ...{ fill: k % 2 === 0 ? INK : PAPER, stroke: INK, line: 0.15 },
    })),
    ...textAt(fonts, "0", [left, top + HIGH + style.size], style, "middle"),
    ...textAt(fonts, end, [left + width, top + HIGH + style.size], style, "middle"),
  ]);
}
