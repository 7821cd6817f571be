import { useMemo } from "react";
import { fragility, shareBeyond } from "@hindglance/core/change/fragility";
import type { Histogram } from "@hindglance/core/raster/histogram";
import { type Axis, HEIGHT } from "./axis";
import type { Threshold } from "./thresholds";

interface Props {
  histogram: Histogram;
  threshold: Threshold;
  /** A small step either way. */
  step: number;
  axis: Axis;
}

/** Points of the curve. */
const POINTS = 80;
/** Room over the curve, pixels. */
const OVER = 6;

/**
 * The area on a threshold's side for every place of it, so that a fragile choice is seen: where the
 * line is steep within a small step.
 */
export function AreaCurve({ histogram, threshold, step, axis }: Props) {
  const { op, value } = threshold;
  const { from, to, width, x } = axis;
  const shares = useMemo(
    () =>
      Array.from({ length: POINTS + 1 }, (_v, k) =>
        shareBeyond(histogram, op, from + (k / POINTS) * (to - from)),
      ),
    [histogram, op, from, to],
  );
  const most = Math.max(1e-9, ...shares);
  const y = (share: number) => HEIGHT - (share / most) * (HEIGHT - OVER);
  const { share } = fragility(histogram, op, value, step);
  const left = x(value - step);
  return (
    <g aria-hidden>
      <rect
        x={left}
        width={Math.max(1, x(value + step) - left)}
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
        points={shares.map((one, k) => `${(k / POINTS) * width},${y(one)}`).join(" ")}
      />
      <circle cx={x(value)} cy={y(share)} r={3} fill="#1d2a2b" />
    </g>
  );
}
