import type { Box, GroupMark, Mark, PathMark, PictureMark, RectMark, TextMark } from "./marks";

/** A picture of pixels and the box that they fill, that need not be that of its mark. */
export interface DrawnPicture extends Box {
  href: string;
}

/** What the SVG of a page is written with. */
export interface SvgOptions {
  /** Size of the page, millimetres as they are drawn. */
  width: number;
  height: number;
  /** How many times larger it is printed. */
  scale: number;
  /** null where it stands in a page that has its own. */
  title: string | null;
  /** Address of a picture, or its bytes as a data address, and where it lies; null: it is left out. */
  picture(mark: PictureMark): DrawnPicture | null;
  /** Rules of style that go into it, such as fonts. */
  css?: string;
  /** Before the names of its parts, where several pages stand in one document. */
  idPrefix?: string;
  /** Part of the page that is drawn; absent: all of it. */
  part?: Box;
  /** Width and height that it says of itself; absent: the printed ones in millimetres. */
  size?: { width: number; height: number };
}

const DECIMALS = 1000;
const mm = (value: number): string => String(Math.round(value * DECIMALS) / DECIMALS);

const ESCAPES: Record<string, string> = {
  "&": "&amp;",
  "<": "&lt;",
  ">": "&gt;",
  '"': "&quot;",
};
/** What XML 1.0 has no room for, not even written as a number. */
const FORBIDDEN =
  /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g;
const xml = (text: string): string =>
  text.replace(FORBIDDEN, "").replace(/[&<>"]/g, (letter) => ESCAPES[letter]!);

const attributes = (all: Record<string, string | undefined>): string =>
  Object.entries(all)
    .filter((entry): entry is [string, string] => entry[1] !== undefined)
    .map(([name, value]) => ` ${name}="${xml(value)}"`)
    .join("");

const boxOf = ({ x, y, width, height }: Box) => ({
  ...{ x: mm(x), y: mm(y), width: mm(width), height: mm(height) },
});

const strokeOf = ({ stroke, line }: Pick<RectMark, "stroke" | "line">) =>
  stroke ? { stroke, "stroke-width": mm(line ?? 0.1) } : {};

const rect = (mark: RectMark): string =>
  `<rect${attributes({
    ...boxOf(mark),
    fill: mark.fill ?? "none",
    ...(mark.opacity === undefined ? {} : { "fill-opacity": String(mark.opacity) }),
    ...strokeOf(mark),
  })}/>`;

const pathData = ({ parts, isClosed }: PathMark): string =>
  parts
    .filter((part) => part.length > 0)
    .map(
      (part) =>
        part.map(([x, y], k) => `${k === 0 ? "M" : "L"}${mm(x)} ${mm(y)}`).join("") +
        (isClosed ? "Z" : ""),
    )
    .join("");

const path = (mark: PathMark): string =>
  `<path${attributes({
    d: pathData(mark),
    fill: mark.fill ?? "none",
    "fill-rule": mark.fill ? "evenodd" : undefined,
    ...strokeOf(mark),
    "stroke-dasharray": mark.dash?.map(mm).join(" "),
    "stroke-linejoin": "round",
  })}/>`;

const text = ({ x, y, text: words, family, size, weight, color, turn }: TextMark): string =>
  `<text${attributes({
    x: mm(x),
    y: mm(y),
    "font-family": family,
    "font-size": mm(size),
    "font-weight": weight === 400 ? undefined : String(weight),
    fill: color,
    transform: turn ? `rotate(${turn} ${mm(x)} ${mm(y)})` : undefined,
  })}>${xml(words)}</text>`;

/** Box of a mark at the least; null for groups without a clip, that are as large as what is in them. */
function boundsOf(mark: Mark): Box | null {
  if (mark.kind === "group") {
    return mark.clip ?? null;
  }
  if (mark.kind === "text") {
    // No letter is wider than it is high; turned ones run up or down.
    const reach = mark.size * ([...mark.text].length + 1);
    return { x: mark.x - reach, y: mark.y - reach, width: 2 * reach, height: 2 * reach };
  }
  if (mark.kind === "path") {
    const places = mark.parts.flat();
    const [xs, ys] = [places.map(([x]) => x), places.map(([, y]) => y)];
    const [left, top] = [leastOf(xs), leastOf(ys)];
    return { x: left, y: top, width: mostOf(xs) - left, height: mostOf(ys) - top };
  }
  return mark;
}
const leastOf = (values: readonly number[]): number =>
  values.reduce((least, value) => Math.min(least, value), Infinity);
const mostOf = (values: readonly number[]): number =>
  values.reduce((most, value) => Math.max(most, value), -Infinity);

/** Room for the width of lines. */
const ROOM = 2;

const isSeen = (bounds: Box, part: Box): boolean =>
  bounds.x <= part.x + part.width + ROOM &&
  bounds.x + bounds.width >= part.x - ROOM &&
  bounds.y <= part.y + part.height + ROOM &&
  bounds.y + bounds.height >= part.y - ROOM;

/** Writes marks; clips are numbered as they come. What a part of the page does not show is left out. */
class Writer {
  private clips = 0;

  constructor(private readonly options: SvgOptions) {}

  marks(all: readonly Mark[]): string {
    const { part } = this.options;
    return all
      .filter((mark) => {
        const bounds = part ? boundsOf(mark) : null;
        return !part || !bounds || isSeen(bounds, part);
      })
      .map((mark) => this.mark(mark))
      .join("");
  }

  private mark(mark: Mark): string {
    switch (mark.kind) {
      case "group":
        return this.group(mark);
      case "text":
        return text(mark);
      case "rect":
        return rect(mark);
      case "path":
        return path(mark);
      case "picture":
        return this.picture(mark);
    }
  }

  private picture(mark: PictureMark): string {
    const drawn = this.options.picture(mark);
    return drawn === null
      ? ""
      : `<image${attributes({
          ...boxOf(drawn),
          href: drawn.href,
          preserveAspectRatio: "none",
          "image-rendering": "optimizeSpeed",
        })}/>`;
  }

  private group({ role, alt, clip, marks }: GroupMark): string {
    const own = this.marks(marks);
    if (own === "") {
      return "";
    }
    const isFigure = role === "figure";
    const said = {
      ...(isFigure ? { role: "img", "aria-label": alt } : {}),
      ...(role === "decor" ? { "aria-hidden": "true" } : {}),
    };
    if (!clip) {
      return `<g${attributes(said)}>${own}</g>`;
    }
    const id = `${this.options.idPrefix ?? ""}clip${++this.clips}`;
    const shape = `<clipPath id="${id}"><rect${attributes(boxOf(clip))}/></clipPath>`;
    return `${shape}<g${attributes({ ...said, "clip-path": `url(#${id})` })}>${own}</g>`;
  }
}

/** A page as SVG: its units are millimetres as it is drawn. */
export function pageSvg(marks: readonly Mark[], options: SvgOptions): string {
  const { width, height, scale, title, css } = options;
  const part = options.part ?? { x: 0, y: 0, width, height };
  const size = options.size
    ? { width: String(options.size.width), height: String(options.size.height) }
    : { width: `${mm(width * scale)}mm`, height: `${mm(height * scale)}mm` };
  const head = attributes({
    xmlns: "http://www.w3.org/2000/svg",
    ...size,
    viewBox: [part.x, part.y, part.width, part.height].join(" "),
  });
  const style = css ? `<style>${css}</style>` : "";
  const named = title === null ? "" : `<title>${xml(title)}</title>`;
  const paper = `<rect${attributes({ ...boxOf({ x: 0, y: 0, width, height }), fill: "#ffffff" })}/>`;
  return `<svg${head}>${named}${style}${paper}${new Writer(options).marks(marks)}</svg>`;
}
