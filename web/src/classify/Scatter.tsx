import { useState } from "react";
import type { ClassFacts } from "@hindglance/core/classify/train";
import type { LegendClass } from "@hindglance/core/classify/settings";
import { number } from "../lib/format";
import { Pick } from "../ui/Pick";
import { useSize } from "../ui/useSize";
import type { TrainingOnScreen } from "./useTraining";

type Facts = NonNullable<TrainingOnScreen["data"]>;

const HEIGHT = 210;
const ROOM = { left: 40, right: 8, top: 8, bottom: 22 };
/** Deviations that an ellipse reaches: about 86 % of the cells of a normal distribution lie within. */
const REACH = 2;
const CORNERS = 48;

interface Axes {
  x: number;
  y: number;
}

/** The ellipse of a class over two inputs, as points in their units. */
export function ellipseOf({ mean, covariance }: ClassFacts, { x, y }: Axes): [number, number][] {
  const count = mean.length;
  const [xx, xy, yy] = [
    covariance[x * count + x]!,
    covariance[x * count + y]!,
    covariance[y * count + y]!,
  ];
  // The Cholesky factor takes a circle to the ellipse.
  const first = Math.sqrt(Math.max(0, xx));
  const slant = first > 0 ? xy / first : 0;
  const second = Math.sqrt(Math.max(0, yy - slant * slant));
  return Array.from({ length: CORNERS }, (_v, k) => {
    const angle = (2 * Math.PI * k) / CORNERS;
    const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
    return [mean[x]! + REACH * first * cos, mean[y]! + REACH * (slant * cos + second * sin)];
  });
}

/** Ends of values with a little room. */
function ends(values: readonly number[]): [number, number] {
  const [lo, hi] = [Math.min(...values), Math.max(...values)];
  const room = 0.04 * (hi - lo || 1);
  return [lo - room, hi + room];
}

/** Training cells over two inputs that can be chosen, with the ellipse of each class. */
export function Scatter({ data, legend }: { data: Facts; legend: readonly LegendClass[] }) {
  const [chosen, setAxes] = useState<Axes | null>(null);
  const [box, { width }] = useSize<HTMLDivElement>();
  const { inputs } = data;
  if (inputs.length < 2) {
    return null;
  }
  // The two that part the classes most, until others are chosen.
  const [first, second] = data.ranked;
  const axes = chosen ?? { x: first?.input ?? 0, y: second?.input ?? 1 };
  const at = { x: Math.min(axes.x, inputs.length - 1), y: Math.min(axes.y, inputs.length - 1) };
  const choice = (axis: keyof Axes, label: string) => (
    <Pick
      label={label}
      value={String(at[axis])}
      onChange={(value) => setAxes({ ...at, [axis]: Number(value) })}
      options={inputs.map((name, k) => ({ value: String(k), name }))}
    />
  );
  return (
    <div className="mt-3">
      <div className="mb-1 grid grid-cols-2 gap-2">
        {choice("x", "Input across")}
        {choice("y", "Input upwards")}
      </div>
      <div ref={box}>{width > 0 && <Cloud {...{ data, legend, at, width }} />}</div>
    </div>
  );
}

interface CloudProps {
  data: Facts;
  legend: readonly LegendClass[];
  at: Axes;
  width: number;
}

/** Cells as points, and the ellipses. */
function Cloud({ data: { inputs, classes }, legend, at, width }: CloudProps) {
  const ellipses = classes.map((one) => ellipseOf(one, at));
  const points = classes.map(({ sample }) => pointsOf(sample, inputs.length, at));
  const all = [...ellipses, ...points].flat();
  const [left, right] = ends(all.map(([x]) => x));
  const [low, high] = ends(all.map(([, y]) => y));
  const [across, down] = [width - ROOM.left - ROOM.right, HEIGHT - ROOM.top - ROOM.bottom];
  const px = (x: number) => ROOM.left + (across * (x - left)) / (right - left);
  const py = (y: number) => ROOM.top + (down * (high - y)) / (high - low);
  const colorOf = (label: number) => legend.find((one) => one.label === label)?.color ?? "#000000";
  const corner = ([x, y]: [number, number]) => `${px(x).toFixed(1)},${py(y).toFixed(1)}`;
  const text = "fill-soft font-mono text-[10px]";
  return (
    <svg
      width={width}
      height={HEIGHT}
      role="img"
      aria-label={`Training cells by ${inputs[at.x]} and ${inputs[at.y]}, with an ellipse of two deviations a class`}
    >
      <text x={ROOM.left - 4} y={py(low)} textAnchor="end" className={text}>
        {number(low, 2)}
      </text>
      <text x={ROOM.left - 4} y={py(high)} dy="0.8em" textAnchor="end" className={text}>
        {number(high, 2)}
      </text>
      <text x={px(left)} y={HEIGHT - 6} className={text}>
        {number(left, 2)}
      </text>
      <text x={px(right)} y={HEIGHT - 6} textAnchor="end" className={text}>
        {number(right, 2)}
      </text>
      {classes.map(({ label }, k) => (
        <g key={label} fill={colorOf(label)} stroke={colorOf(label)}>
          {points[k]!.map(([x, y], place) => (
            <circle key={place} cx={px(x)} cy={py(y)} r={1.4} stroke="none" fillOpacity={0.6} />
          ))}
          <polygon
            points={ellipses[k]!.map(corner).join(" ")}
            fillOpacity={0.08}
            strokeWidth={1.6}
          />
        </g>
      ))}
    </svg>
  );
}

function pointsOf(sample: readonly number[], inputs: number, { x, y }: Axes): [number, number][] {
  return Array.from({ length: sample.length / inputs }, (_v, k) => [
    sample[k * inputs + x]!,
    sample[k * inputs + y]!,
  ]);
}
