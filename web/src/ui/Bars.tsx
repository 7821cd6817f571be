import type { Histogram } from "@hindglance/core/raster/histogram";

/** Joins the bins of a histogram that lie in [from, to] into at most `n` bars. */
export function barsOf(
  histogram: Histogram,
  from: number,
  to: number,
  n: number,
): { from: number; to: number; count: number }[] {
  const width = (histogram.max - histogram.min) / histogram.counts.length;
  const i0 = Math.max(0, Math.floor((from - histogram.min) / width));
  const i1 = Math.min(histogram.counts.length, Math.ceil((to - histogram.min) / width));
  const each = Math.max(1, Math.ceil((i1 - i0) / n));
  const out: { from: number; to: number; count: number }[] = [];
  for (let i = i0; i < i1; i += each) {
    let c = 0;
    for (let k = i; k < Math.min(i1, i + each); k++) {
      c += histogram.counts[k]!;
    }
    out.push({
      from: histogram.min + i * width,
      to: histogram.min + Math.min(i1, i + each) * width,
      count: c,
    });
  }
  return out;
}

/** A histogram that is only looked at. */
export function Bars({
  histogram,
  from,
  to,
  marks = [],
  label,
  height = 74,
}: {
  histogram: Histogram;
  from: number;
  to: number;
  marks?: number[];
  label: string;
  height?: number;
}) {
  const bars = barsOf(histogram, from, to, 84);
  const top = Math.max(1, ...bars.map((bar) => bar.count));
  const w = 100 / Math.max(1, bars.length);
  return (
    <svg
      role="img"
      aria-label={label}
      viewBox={`0 0 100 ${height}`}
      preserveAspectRatio="none"
      className="w-full"
      style={{ height }}
    >
      {bars.map((bar, i) => (
        <rect
          key={i}
          x={i * w}
          width={w * 0.88}
          y={height - (bar.count / top) * height}
          height={(bar.count / top) * height}
          fill="#b3ad9c"
        />
      ))}
      {marks.map((m) => (
        <line
          key={m}
          x1={((m - from) / (to - from)) * 100}
          x2={((m - from) / (to - from)) * 100}
          y1={0}
          y2={height}
          stroke="#1f6658"
          strokeWidth={1}
          vectorEffect="non-scaling-stroke"
        />
      ))}
    </svg>
  );
}
