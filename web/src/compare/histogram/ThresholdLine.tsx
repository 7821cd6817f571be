import { useState } from "react";
import { number } from "../../lib/format";
import { type LayerUnit, rounded, withUnit } from "../units";
import { type Axis, HEIGHT } from "./axis";
import type { Threshold } from "./thresholds";

interface Props {
  threshold: Threshold;
  /** What the layer is called. */
  what: string;
  axis: Axis;
  unit: LayerUnit;
  /** Row of its number under the histogram. */
  row: number;
  isPicked: boolean;
  pick(): void;
  onDrag(value: number): void;
  onDrop(): void;
  onSet(value: number): void;
}

const STEP_OF: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1 };

/** A threshold on the histogram: dragged, or moved by the arrow keys, ten steps with Shift. */
export function ThresholdLine(props: Props) {
  const { threshold, what, axis, unit, isPicked, pick, onDrag, onDrop, onSet } = props;
  const [held, setHeld] = useState(false);
  const { value } = threshold;
  const { from, to, width } = axis;
  const inside = (wanted: number) => rounded(Math.max(from, Math.min(to, wanted)), unit);
  const letGo = () => {
    setHeld(false);
    onDrop();
  };
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={`${what} threshold, ${threshold.name}`}
      aria-valuemin={from}
      aria-valuemax={to}
      aria-valuenow={value}
      aria-valuetext={withUnit(number(value, unit.decimals), unit)}
      className="cursor-ew-resize outline-none [&:focus-visible>circle]:stroke-spruce [&:focus-visible>circle]:stroke-[3px]"
      onFocus={pick}
      onKeyDown={(event) => {
        const step = STEP_OF[event.key];
        if (step) {
          event.preventDefault();
          onSet(inside(value + step * unit.step * (event.shiftKey ? 10 : 1)));
        }
      }}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setHeld(true);
        pick();
      }}
      onPointerMove={({ clientX, currentTarget }) => {
        const picture = currentTarget.ownerSVGElement;
        if (held && picture) {
          const left = picture.getBoundingClientRect().left;
          onDrag(inside(from + ((clientX - left) / width) * (to - from)));
        }
      }}
      onPointerUp={letGo}
      onPointerCancel={letGo}
    >
      <Sign {...props} isPicked={isPicked} />
    </g>
  );
}

function Sign({ threshold: { value }, axis, unit, row, isPicked }: Props) {
  const x = axis.x(value);
  return (
    <>
      <rect x={x - 9} y={0} width={18} height={HEIGHT + 16} fill="transparent" />
      <line x1={x} x2={x} y1={0} y2={HEIGHT + 4} stroke="#1d2a2b" strokeWidth={1.4} />
      <circle cx={x} cy={HEIGHT + 8} r={6} fill={isPicked ? "#1d2a2b" : "#5b6866"} />
      <text
        x={axis.labelX(value)}
        y={HEIGHT + 29 + 12 * row}
        textAnchor="middle"
        className="fill-ink font-mono text-[11px] font-semibold"
      >
        {number(value, unit.decimals, true)}
      </text>
    </>
  );
}
