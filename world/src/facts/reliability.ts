import type { ReliabilityBin } from "@hindglance/core/doubt/calibration";

/** Probabilities of a map and how often they were right. */
export interface Reliability {
  name: string;
  colour: string;
  bins: readonly ReliabilityBin[];
}

const SIDE = 300;
const LEFT = 52;
const TOP = 18;
const WIDTH = 620;
const HEIGHT = TOP + SIDE + 44;
const LEAST_CELLS = 20;

const across = (share: number): string => (LEFT + SIDE * share).toFixed(1);
const up = (share: number): string => (TOP + SIDE * (1 - share)).toFixed(1);
const text = (atX: string | number, atY: string | number, words: string, more = ""): string =>
  `<text x="${atX}" y="${atY}" ${more}>${words}</text>`;

/** Ticks and the diagonal on which what is said comes true. */
function frame(): string[] {
  const ticks = [0, 0.2, 0.4, 0.6, 0.8, 1].flatMap((share) => [
    `<line x1="${LEFT}" x2="${LEFT + SIDE}" y1="${up(share)}" y2="${up(share)}" stroke="#d8d3c6"/>`,
    text(LEFT - 8, Number(up(share)) + 4, String(share), 'text-anchor="end"'),
    text(across(share), TOP + SIDE + 16, String(share), 'text-anchor="middle"'),
  ]);
  return [
    ...ticks,
    `<line x1="${across(0)}" y1="${up(0)}" x2="${across(1)}" y2="${up(1)}" stroke="#5b6866" stroke-dasharray="4 4"/>`,
    text(
      LEFT + SIDE / 2,
      TOP + SIDE + 36,
      "probability that a cell is what the map says",
      'text-anchor="middle"',
    ),
    text(
      -(TOP + SIDE / 2),
      14,
      "share of those cells that is",
      'text-anchor="middle" transform="rotate(-90)"',
    ),
  ];
}

/** A map as a line through its tenths, dots as large as they are full, and its name. */
function line({ name, colour, bins }: Reliability, place: number): string[] {
  const full = bins.filter(({ cells }) => cells >= LEAST_CELLS);
  const points = full.map(({ said, right }) => `${across(said)},${up(right)}`).join(" ");
  const dots = full.map(({ cells, said, right }) => {
    const radius = (1.2 + 0.9 * Math.log10(cells)).toFixed(1);
    return `<circle cx="${across(said)}" cy="${up(right)}" r="${radius}" fill="${colour}"/>`;
  });
  const key = LEFT + SIDE + 30;
  const at = TOP + 14 + 20 * place;
  return [
    `<polyline points="${points}" fill="none" stroke="${colour}" stroke-width="1.6"/>`,
    ...dots,
    `<circle cx="${key}" cy="${at - 4}" r="4" fill="${colour}"/>`,
    text(key + 12, at, name),
  ];
}

/** A reliability diagram as an SVG file: how often what was said with each probability was right. */
export function reliabilityDiagram(all: readonly Reliability[]): string {
  const inside = [...frame(), ...all.flatMap(line)];
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${HEIGHT}" font-family="sans-serif" font-size="12" fill="#1d2a2b">
<rect width="${WIDTH}" height="${HEIGHT}" fill="#faf8f3"/>
${inside.join("\n")}
</svg>
`;
}
