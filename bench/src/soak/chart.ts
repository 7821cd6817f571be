/** A line of a chart: what it is called, its colour, its values by the time of each sample. */
export interface Line {
  name: string;
  colour: string;
  values: readonly number[];
}

const WIDTH = 860;
const HEIGHT = 220;
const LEFT = 64;
const RIGHT = 150;
const TOP = 34;
const BOTTOM = 26;

/** A round number at or above a value, for the end of an axis. */
function roundUp(value: number): number {
  const power = 10 ** Math.floor(Math.log10(Math.max(value, 1)));
  return [1, 2, 2.5, 5, 10].map((step) => step * power).find((step) => step >= value)!;
}

/** One chart of lines over minutes. */
function chart(title: string, minutes: readonly number[], lines: readonly Line[], at: number) {
  const top = roundUp(Math.max(...lines.flatMap(({ values }) => values)));
  const end = Math.max(1, minutes.at(-1) ?? 1);
  const x = (minute: number) => LEFT + ((WIDTH - LEFT - RIGHT) * minute) / end;
  const y = (value: number) => at + TOP + (HEIGHT - TOP - BOTTOM) * (1 - value / top);
  const text = (px: number, py: number, words: string, more = "") =>
    `<text x="${px.toFixed(1)}" y="${py.toFixed(1)}" ${more}>${words}</text>`;
  const parts = [text(LEFT, at + 20, title, 'font-weight="600"')];
  for (const share of [0, 0.5, 1]) {
    const py = y(share * top);
    parts.push(
      `<line x1="${LEFT}" x2="${WIDTH - RIGHT}" y1="${py}" y2="${py}" stroke="#d8d3c6"/>`,
      text(LEFT - 8, py + 4, String(share * top), 'text-anchor="end"'),
    );
  }
  for (const share of [0, 0.25, 0.5, 0.75, 1]) {
    const minute = Math.round(share * end);
    parts.push(text(x(minute), at + HEIGHT - 6, `${minute} min`, 'text-anchor="middle"'));
  }
  // Names stand beside the ends of their lines, and not over each other.
  let above = Infinity;
  for (const line of [...lines].sort((a, b) => a.values.at(-1)! - b.values.at(-1)!)) {
    const points = line.values.map(
      (value, k) => `${x(minutes[k]!).toFixed(1)},${y(value).toFixed(1)}`,
    );
    above = Math.min(above - 15, y(line.values.at(-1)!) + 4);
    parts.push(
      `<polyline points="${points.join(" ")}" fill="none" stroke="${line.colour}" stroke-width="1.6"/>`,
      text(WIDTH - RIGHT + 8, above, line.name, `fill="${line.colour}"`),
    );
  }
  return parts.join("\n");
}

/** Charts below each other, as an SVG file. */
export function charts(
  minutes: readonly number[],
  all: readonly { title: string; lines: readonly Line[] }[],
): string {
  const height = HEIGHT * all.length;
  const inside = all.map(({ title, lines }, k) => chart(title, minutes, lines, k * HEIGHT));
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${height}" font-family="sans-serif" font-size="12" fill="#1b2624">
<rect width="${WIDTH}" height="${height}" fill="#faf9f4"/>
${inside.join("\n")}
</svg>
`;
}
