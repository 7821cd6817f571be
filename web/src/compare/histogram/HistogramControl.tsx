import { useMemo, useState } from "react";
import type { FirstMap } from "@hindglance/core/change/firstMap/firstMap";
import type { ClassRule, Layer } from "@hindglance/core/change/rules";
import type { Histogram } from "@hindglance/core/raster/histogram";
import { number } from "../../lib/format";
import { barsOf } from "../../ui/Bars";
import { useSize } from "../../ui/useSize";
import type { LayerUnit } from "../units";
import { AreaCurve } from "./AreaCurve";
import { type Axis, HEIGHT, axisOf, rangeOf, ticksOf } from "./axis";
import { Hangs } from "./Hangs";
import { Suggestions, type TileThreshold } from "./Suggestions";
import { ThresholdLine } from "./ThresholdLine";
import { type Threshold, colorAt, labelRows, thresholdsOf } from "./thresholds";

interface Props {
  /** Cells that were counted, and whether they are a sample. */
  cells: number;
  sampled: boolean;
  tiles: TileThreshold | null;
  halves: readonly Histogram[];
  /** The first map of the pair, where one was made. */
  first: FirstMap | null;
  histogram: Histogram;
  /** Area that the histogram stands for, once it is known. */
  seenM2: number | null;
  layer: Layer;
  /** Whether the layer's values are chances. */
  isChance?: boolean;
  unit: LayerUnit;
  rules: readonly ClassRule[];
  onDrag(at: Threshold["at"], value: number): void;
  onDrop(): void;
  onSet(at: Threshold["at"], value: number): void;
}

/** Steps of a threshold's field that are a small change of it. */
const SMALL = 5;

/**
 * The histogram of a layer with its thresholds on it: dragged, moved by keys, or taken from a
 * suggestion.
 */
export function HistogramControl(props: Props) {
  const { histogram, halves, tiles, first, layer, unit, rules, seenM2, onSet } = props;
  const [ref, { width }] = useSize<HTMLDivElement>();
  const [chosen, choose] = useState<string | null>(null);
  const lines = thresholdsOf(rules, layer);
  const picked = lines.find((line) => line.key === chosen) ?? lines[0] ?? null;
  const step = unit.step * SMALL;
  return (
    <div ref={ref}>
      {width > 0 && <Picture {...props} {...{ lines, picked, step, width }} pick={choose} />}
      <div className="mt-1 flex flex-wrap gap-1.5">
        {picked && props.isChance && (
          <p className="text-label text-soft">
            Thresholds of this measure are chances: no valley of the histogram tells them better.
          </p>
        )}
        {picked && !props.isChance && (
          <Suggestions
            {...{ histogram, halves, tiles, first, layer, unit }}
            threshold={picked}
            onSet={(value) => onSet(picked.at, value)}
          />
        )}
        {!picked && <p className="text-label text-soft">No class asks for this layer.</p>}
      </div>
      <div className="mt-1 flex items-baseline justify-between gap-2">
        {picked ? <Hangs {...{ histogram, step, seenM2, unit }} threshold={picked} /> : <span />}
        <Counted cells={props.cells} sampled={props.sampled} />
      </div>
    </div>
  );
}

const Counted = ({ cells, sampled }: { cells: number; sampled: boolean }) => (
  <span
    className="whitespace-nowrap font-mono text-[11px] text-soft"
    title={
      sampled
        ? "Cells that were counted: blocks spread over the image, at full resolution"
        : "Cells that were counted: all of the study area that both dates show"
    }
  >
    {number(cells / 1e6, 2)} M{sampled ? " sampled" : ""}
  </span>
);

interface PictureProps extends Props {
  lines: Threshold[];
  picked: Threshold | null;
  step: number;
  width: number;
  pick(key: string): void;
}

function Picture(props: PictureProps) {
  const { histogram, layer, unit, rules, lines, picked, step, width, pick, isChance } = props;
  const range = useMemo(
    () => rangeOf(histogram, unit.unit === "dB", isChance),
    [histogram, unit.unit, isChance],
  );
  const axis = axisOf(range, width);
  const ticks = ticksOf(
    axis,
    lines.map(({ value }) => value),
  );
  const rows = labelRows(lines.map(({ value }) => axis.labelX(value)));
  return (
    <svg
      width={width}
      height={HEIGHT + 34 + 12 * Math.max(0, ...rows)}
      className="block touch-none select-none"
      role="group"
      aria-label={`Histogram of ${layer} with thresholds`}
    >
      <ColouredBars {...{ histogram, axis, layer, rules, isChance }} />
      {picked && <AreaCurve {...{ histogram, step, axis }} threshold={picked} />}
      {ticks.values.map((tick) => (
        <text
          key={tick}
          x={axis.labelX(tick)}
          y={HEIGHT + 29}
          textAnchor="middle"
          className="fill-soft font-mono text-[11px]"
        >
          {number(tick, ticks.decimals)}
        </text>
      ))}
      {lines.map((line, k) => (
        <ThresholdLine
          key={line.key}
          threshold={line}
          what={layer === "measure" ? "Change" : layer}
          axis={axis}
          unit={unit}
          row={rows[k]!}
          isPicked={line.key === picked?.key}
          pick={() => pick(line.key)}
          onDrag={(value) => props.onDrag(line.at, value)}
          onDrop={props.onDrop}
          onSet={(value) => props.onSet(line.at, value)}
        />
      ))}
    </svg>
  );
}

/** Bars that a histogram is drawn in. */
const BARS = 92;
/** Room over the highest bar, pixels. */
const OVER = 8;

interface BarsProps {
  histogram: Histogram;
  axis: Axis;
  layer: Layer;
  rules: readonly ClassRule[];
  isChance?: boolean;
}

/**
 * Counts as bars in the colours of their classes. Few cells near a threshold would not be seen
 * beside the great lump: heights go by the square root, those of chances by the logarithm.
 */
function ColouredBars({ histogram, axis, layer, rules, isChance }: BarsProps) {
  const { from, to, width } = axis;
  const bars = useMemo(() => barsOf(histogram, from, to, BARS), [histogram, from, to]);
  const top = Math.max(1, ...bars.map(({ count }) => count));
  const each = width / bars.length;
  return bars.map((bar, k) => {
    const share = isChance ? Math.log1p(bar.count) / Math.log1p(top) : Math.sqrt(bar.count / top);
    const height = share * (HEIGHT - OVER);
    return (
      <rect
        key={k}
        x={k * each}
        width={Math.max(0.6, each - 0.7)}
        y={HEIGHT - height}
        height={height}
        fill={colorAt(rules, layer, (bar.from + bar.to) / 2) ?? "#bab4a5"}
      />
    );
  });
}
