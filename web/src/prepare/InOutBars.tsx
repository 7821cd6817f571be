import { type Histogram, histogramTotal } from "@hindglance/core/raster/histogram";
import { number } from "../lib/format";
import type { Field } from "./useFields";

const WIDTH = 300;
const BASE = 74;
const HIGHEST = 72;
const TICKS = 5;

const binWidth = ({ min, max, counts }: Histogram): number => (max - min) / counts.length;
/** Share of the cells per unit of value, bin by bin: comparable where bins differ. */
const density = (histogram: Histogram): number[] => {
  const all = histogramTotal(histogram) * binWidth(histogram);
  return histogram.counts.map((count) => count / all);
};
/** Decimals that tell the ticks of an axis apart. */
function decimalsFor(span: number): number {
  if (span < 0.4) {
    return 3;
  }
  return span < 4 ? 2 : 0;
}

/** Histograms of in and out over one axis: in is grey, out is green. */
export function InOutBars({ input, output }: { input: Field | null; output: Field | null }) {
  const all = [input, output].filter((field): field is Field => field !== null && field.cells > 0);
  if (all.length === 0) {
    return <p className="py-6 text-center text-soft">Counting cells …</p>;
  }
  const low = Math.min(...all.map((field) => field.histogram.min));
  const high = Math.max(...all.map((field) => field.histogram.max));
  const toX = (value: number) => ((value - low) / (high - low)) * WIDTH;
  const top = Math.max(...all.flatMap((field) => density(field.histogram)));
  const ticks = Array.from(
    { length: TICKS },
    (_value, k) => low + ((k + 0.5) * (high - low)) / TICKS,
  );
  return (
    <svg
      role="img"
      aria-label="Histograms of in and out"
      viewBox={`0 0 ${WIDTH} 92`}
      className="w-full"
    >
      {all.map((field) => (
        <Bars
          key={field === output ? "out" : "in"}
          histogram={field.histogram}
          toX={toX}
          top={top}
          isOutput={field === output}
        />
      ))}
      <line x1={0} x2={WIDTH} y1={BASE + 0.5} y2={BASE + 0.5} stroke="#a9aea8" />
      {ticks.map((tick) => (
        <text
          key={tick}
          x={toX(tick)}
          y={88}
          textAnchor="middle"
          fontSize={10.5}
          fill="#5b6866"
          className="font-mono"
        >
          {number(tick, decimalsFor(high - low))}
        </text>
      ))}
    </svg>
  );
}

function Bars({
  histogram,
  toX,
  top,
  isOutput,
}: {
  histogram: Histogram;
  toX(value: number): number;
  top: number;
  isOutput: boolean;
}) {
  const width = binWidth(histogram);
  return density(histogram).map((value, i) => {
    const left = histogram.min + i * width;
    const height = (value / top) * HIGHEST;
    return (
      <rect
        key={left}
        x={toX(left)}
        width={Math.max(0.5, (toX(left + width) - toX(left)) * 0.9)}
        y={BASE - height}
        height={height}
        fill={isOutput ? "#1f6658" : "#b3ad9c"}
        opacity={isOutput ? 0.72 : 0.9}
      />
    );
  });
}
