import { useMemo, useRef, useState } from "react";
import type { Histogram } from "@hindglance/core/raster/histogram";
import { quantile } from "@hindglance/core/raster/histogram";
import { type Fragility, fragility, shareBeyond } from "@hindglance/core/change/fragility";

import type { ClassRule, Layer } from "@hindglance/core/change/rules";
import { number } from "../lib/format";
import { barsOf } from "../ui/Bars";
import { Chip, Pop, useSize } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { type LayerUnit, rounded, withUnit } from "./units";
import { colorAt, labelRows, thresholdsOf, type Threshold } from "./thresholds";
import {
  type Suggestion,
  USUAL_FAR,
  roundedIn,
  suggestions,
} from "@hindglance/core/change/suggestions";

/** `seenM2`: area that the histogram stands for, once it is known. */
interface Props {
  /** Cells that were counted, and whether they are a sample. */ cells: number;
  sampled: boolean;
  /** Threshold that tiles with two heaps have in common. */ tiles: {
    value: number;
    found: number;
    tiles: number;
  } | null;
  histogram: Histogram;
  seenM2: number | null;
  layer: Layer;
  unit: LayerUnit;
  rules: readonly ClassRule[];
  onDrag(at: Threshold["at"], value: number): void;
  onDrop(): void;
  onSet(at: Threshold["at"], value: number): void;
}

const HEIGHT = 74;
/** A number under a line stays inside of the picture. */
const labelX = (x: number, width: number): number => Math.max(16, Math.min(width - 16, x));

/**
 * The histogram of a layer with its thresholds on it: dragged, moved by keys, or taken from a
 * suggestion.
 */
export function HistogramControl({
  cells,
  sampled,
  tiles,
  histogram,
  seenM2,
  layer,
  unit,
  rules,
  onDrag,
  onDrop,
  onSet,
}: Props) {
  const round = (value: number) => rounded(value, unit);
  const pad = unit.unit === "dB" ? 1 : 0.02 * (histogram.max - histogram.min);
  const [ref, { width }] = useSize<HTMLDivElement>();
  const svg = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState<string | null>(null);
  const lines = thresholdsOf(rules, layer);
  const [chosen, choose] = useState<string | null>(null);
  const picked = lines.find((line) => line.key === chosen) ?? lines[0] ?? null;
  const [from, to] = useMemo(() => {
    const lo = quantile(histogram, 0.0015);
    const hi = quantile(histogram, 0.9985);
    return Number.isFinite(lo)
      ? [
          Math.max(histogram.min, pad === 1 ? Math.floor(lo - 1) : lo - pad),
          Math.min(histogram.max, pad === 1 ? Math.ceil(hi + 1) : hi + pad),
        ]
      : [histogram.min, histogram.max];
  }, [histogram, pad]);
  const bars = useMemo(() => barsOf(histogram, from, to, 92), [histogram, from, to]);
  const top = Math.max(1, ...bars.map((bar) => bar.count));
  const [far, setFar] = useState(USUAL_FAR);
  const hints = useMemo(
    () => [
      ...suggestions(histogram, far),
      ...(tiles
        ? [
            {
              method: "tiles" as const,
              name: "Tiles",
              value: roundedIn(histogram, tiles.value),
              help: `Martinis 2009: ${tiles.found} of ${tiles.tiles} tiles of 64 × 64 cells hold two heaps; the middle one of their thresholds. Finds small floods.`,
            } as Suggestion,
          ]
        : []),
    ],
    [histogram, tiles, far],
  );
  const x = (value: number) => ((Math.max(from, Math.min(to, value)) - from) / (to - from)) * width;
  const w = width / bars.length;
  const valueAt = (clientX: number) => {
    const dOMRect = svg.current!.getBoundingClientRect();
    return round(
      Math.max(from, Math.min(to, from + ((clientX - dOMRect.left) / dOMRect.width) * (to - from))),
    );
  };
  // Fewer cells near a threshold would not be seen beside the great lump: heights are drawn by
  // their square root, and said so.
  const y = (n: number) => HEIGHT - Math.sqrt(n / top) * (HEIGHT - 8);
  const step =
    [0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100].find(
      (s) => (to - from) / s <= 7,
    ) ?? (to - from) / 5;
  let tickDecimals: 1 | 0 | 2 | 3;
  if (step < 0.01) {
    tickDecimals = 3;
  } else if (step < 0.1) {
    tickDecimals = 2;
  } else if (step < 1) {
    tickDecimals = 1;
  } else {
    tickDecimals = 0;
  }
  const ticks = Array.from(
    { length: Math.floor(to / step) - Math.ceil(from / step) + 1 },
    (_v, i) => (Math.ceil(from / step) + i) * step,
  ).filter((t) => lines.every((line) => Math.abs(x(t) - x(line.value)) > 30));
  // The line over the bars: the area on the chosen threshold's side for every place of it, so that
  // a fragile choice is seen.
  const small = unit.step * 5;
  const hangs = picked ? fragility(histogram, picked.op, picked.value, small) : null;
  const shares = useMemo(
    () =>
      picked?.op
        ? Array.from({ length: POINTS + 1 }, (_v, k) =>
            shareBeyond(histogram, picked.op, from + (k / POINTS) * (to - from)),
          )
        : [],
    [histogram, picked?.op, from, to],
  );
  const most = Math.max(1e-9, ...shares);
  const level = (s: number) => HEIGHT - (s / most) * (HEIGHT - 6);
  const rows = labelRows(lines.map((line) => labelX(x(line.value), width)));
  const deep = Math.max(0, ...rows);
  return (
    <div ref={ref}>
      {width > 0 && (
        <svg
          ref={svg}
          width={width}
          height={HEIGHT + 34 + 12 * deep}
          className="block touch-none select-none"
          role="group"
          aria-label={`Histogram of ${layer} with thresholds`}
        >
          {bars.map((bar, i) => {
            const mid = (bar.from + bar.to) / 2;
            return (
              <rect
                key={i}
                x={i * w}
                width={Math.max(0.6, w - 0.7)}
                y={y(bar.count)}
                height={HEIGHT - y(bar.count)}
                fill={colorAt(rules, layer, mid) ?? "#bab4a5"}
              />
            );
          })}
          {picked && hangs && (
            <g aria-hidden>
              <rect
                x={x(picked.value - small)}
                width={Math.max(1, x(picked.value + small) - x(picked.value - small))}
                y={0}
                height={HEIGHT}
                fill="#1d2a2b"
                opacity={0.08}
              />
              <polyline
                fill="none"
                stroke="#1d2a2b"
                strokeWidth={1.2}
                strokeDasharray="1 2.5"
                points={shares.map((s, k) => `${(k / POINTS) * width},${level(s)}`).join(" ")}
              />
              <circle cx={x(picked.value)} cy={level(hangs.share)} r={3} fill="#1d2a2b" />
            </g>
          )}
          {ticks.map((t) => (
            <text
              key={t}
              x={x(t)}
              y={HEIGHT + 29}
              textAnchor="middle"
              className="fill-soft font-mono text-[11px]"
            >
              {number(t, tickDecimals)}
            </text>
          ))}
          {lines.map((threshold, k) => (
            <g
              key={threshold.key}
              role="slider"
              tabIndex={0}
              aria-label={`${layer === "measure" ? "Change" : layer} threshold, ${threshold.name}`}
              aria-valuemin={from}
              aria-valuemax={to}
              aria-valuenow={threshold.value}
              aria-valuetext={withUnit(number(threshold.value, unit.decimals), unit)}
              className="cursor-ew-resize outline-none [&:focus-visible>circle]:stroke-spruce [&:focus-visible>circle]:stroke-[3px]"
              onFocus={() => choose(threshold.key)}
              onKeyDown={(e) => {
                let delta: 1 | 0 | -1;
                if (e.key === "ArrowLeft") {
                  delta = -1;
                } else if (e.key === "ArrowRight") {
                  delta = 1;
                } else {
                  delta = 0;
                }
                if (delta) {
                  e.preventDefault();
                  onSet(
                    threshold.at,
                    round(
                      Math.max(
                        from,
                        Math.min(to, threshold.value + delta * unit.step * (e.shiftKey ? 10 : 1)),
                      ),
                    ),
                  );
                }
              }}
              onPointerDown={(e) => {
                e.currentTarget.setPointerCapture(e.pointerId);
                setHeld(threshold.key);
                choose(threshold.key);
              }}
              onPointerMove={(e) => {
                if (held === threshold.key) {
                  onDrag(threshold.at, valueAt(e.clientX));
                }
              }}
              onPointerUp={() => {
                setHeld(null);
                onDrop();
              }}
              onPointerCancel={() => {
                setHeld(null);
                onDrop();
              }}
            >
              <rect
                x={x(threshold.value) - 9}
                y={0}
                width={18}
                height={HEIGHT + 16}
                fill="transparent"
              />
              <line
                x1={x(threshold.value)}
                x2={x(threshold.value)}
                y1={0}
                y2={HEIGHT + 4}
                stroke="#1d2a2b"
                strokeWidth={1.4}
              />
              <circle
                cx={x(threshold.value)}
                cy={HEIGHT + 8}
                r={6}
                fill={threshold.key === picked?.key ? "#1d2a2b" : "#5b6866"}
              />
              <text
                x={labelX(x(threshold.value), width)}
                y={HEIGHT + 29 + 12 * rows[k]!}
                textAnchor="middle"
                className="fill-ink font-mono text-[11px] font-semibold"
              >
                {number(threshold.value, unit.decimals, true)}
              </text>
            </g>
          ))}
        </svg>
      )}
      <div className="mt-1 flex flex-wrap gap-1.5">
        {picked &&
          hints.map((hint) => {
            let value: number;
            if (picked.op[0] === ">") {
              if (hint.upper !== undefined) {
                value = round(hint.upper);
              } else if (layer === "measure" && hint.value < 0) {
                value = round(-hint.value);
              } else {
                value = hint.value;
              }
            } else {
              value = hint.value;
            }
            return (
              <Chip
                key={hint.method}
                on={picked.value === value}
                title={`${hint.help} Moves the threshold of ${picked.name}.`}
                onClick={() => onSet(picked.at, value)}
              >
                {hint.name}{" "}
                <b className="font-mono text-[11.5px]">{number(value, unit.decimals)}</b>
              </Chip>
            );
          })}
        {picked && (
          <Pop
            label="How far out"
            width={230}
            trigger={
              <Chip
                aria-label="How far out suggestions lie"
                title="How many standard deviations, and which share"
                className="px-1.5 text-soft"
              >
                …
              </Chip>
            }
          >
            <div className="mb-2 flex items-center justify-between">
              Standard deviations
              <NumberField
                label="Standard deviations"
                value={far.sigmas}
                decimals={1}
                step={0.5}
                min={0.5}
                max={6}
                onCommit={(sigmas) => setFar({ ...far, sigmas })}
              />
            </div>
            <div className="flex items-center justify-between">
              Outermost share, %
              <NumberField
                label="Outermost share in per cent"
                value={far.percent}
                decimals={1}
                step={0.5}
                min={0.1}
                max={49}
                onCommit={(percent) => setFar({ ...far, percent })}
              />
            </div>
          </Pop>
        )}
        {!picked && <p className="text-label text-soft">No class asks for this layer.</p>}
      </div>
      <div className="mt-1 flex items-baseline justify-between gap-2">
        {picked && hangs ? (
          <Hangs f={hangs} step={small} seenM2={seenM2} unit={unit} name={picked.name} />
        ) : (
          <span />
        )}
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
      </div>
    </div>
  );
}

/** A choice is fragile when a small step either way moves more than this part of what it takes. */
const FRAGILE = 0.25;
/** Points of the curve of area against threshold. */
const POINTS = 80;
/**
 * How much hangs on a threshold, in words: the area that its side of this layer takes, and what a
 * small step would make of it.
 */
function Hangs({
  f: ownFragility,
  step,
  seenM2,
  unit,
  name,
}: {
  f: Fragility;
  step: number;
  seenM2: number | null;
  unit: LayerUnit;
  name: string;
}) {
  const said = (s: number) => (seenM2 ? number((s * seenM2) / 1e6, 2) : number(100 * s, 1));
  const about = withUnit(number(step, unit.decimals), unit);
  return (
    <p
      className="min-w-0 truncate text-label text-soft"
      title={`The line over the histogram: the area that this layer alone gives ${name}, for every place of the threshold. ${about} lower or higher it would be ${said(ownFragility.lower)} to ${said(ownFragility.higher)}.`}
    >
      By this layer alone {said(ownFragility.share)} {seenM2 ? "km²" : "%"}; ±{about}:{" "}
      {said(ownFragility.lower)}–{said(ownFragility.higher)}
      {ownFragility.swing > FRAGILE && <b className="ml-1 font-semibold text-warnink">fragile</b>}
    </p>
  );
}
