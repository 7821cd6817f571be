import type { GroupFacts } from "../../api/types";
import { number } from "../../lib/format";

type Means = (number | null)[];

const WIDTH = 84;
const HEIGHT = 28;
/** Room about the curves, pixels. */
const PAD = 3;

/** Least and greatest mean of all groups, which share one scale. */
export function spanOf({ groups }: GroupFacts): [number, number] {
  const means = groups
    .flatMap(({ before, after }) => [...before, ...after])
    .filter((mean) => mean !== null);
  const [lo, hi] = [Math.min(...means), Math.max(...means)];
  return hi > lo ? [lo, hi] : [lo - 1, hi + 1];
}

/** Bands by wavelength, those without one in their own order. */
const orderOf = ({ bands }: GroupFacts): number[] =>
  bands
    .map((_band, k) => k)
    .sort((a, b) => (bands[a]!.wavelengthNm ?? a) - (bands[b]!.wavelengthNm ?? b));

interface LineProps {
  means: Means;
  order: number[];
  span: [number, number];
  colour: string;
}

/** One date: a line over the bands, or a dot where there is only one. */
function Line({ means, order, span: [lo, hi], colour }: LineProps) {
  const n = order.length;
  const x = (k: number) => (n > 1 ? PAD + (k / (n - 1)) * (WIDTH - 2 * PAD) : WIDTH / 2);
  const y = (mean: number) => HEIGHT - PAD - ((mean - lo) / (hi - lo)) * (HEIGHT - 2 * PAD);
  const points = order.flatMap((band, k) => {
    const mean = means[band];
    return mean == null ? [] : [{ x: x(k), y: y(mean) }];
  });
  if (n > 1) {
    const text = points.map((point) => `${point.x},${point.y}`).join(" ");
    return <polyline fill="none" stroke={colour} strokeWidth={1.5} points={text} />;
  }
  return points.map((point) => (
    <circle key={point.x} cx={point.x} cy={point.y} r={3} fill={colour} />
  ));
}

interface Props {
  facts: GroupFacts;
  group: GroupFacts["groups"][number];
  span: [number, number];
}

/** Means of a group's bands on both dates; all groups share one scale. */
export function Curves({ facts, group, span }: Props) {
  const order = orderOf(facts);
  const said = (means: Means) =>
    order
      .map((band) => {
        const mean = means[band];
        return `${facts.bands[band]!.name} ${mean == null ? "none" : number(mean, 3)}`;
      })
      .join(", ");
  const before = `before ${said(group.before)}`;
  const after = `after ${said(group.after)}`;
  return (
    <svg
      width={WIDTH}
      height={HEIGHT}
      role="img"
      aria-label={`Group ${group.group}: ${before}; ${after}`}
    >
      <title>{`${before}\n${after}`}</title>
      <rect width={WIDTH} height={HEIGHT} rx={4} fill="#efece4" />
      <Line means={group.before} order={order} span={span} colour="#3f6aa8" />
      <Line means={group.after} order={order} span={span} colour="#b9562b" />
    </svg>
  );
}
