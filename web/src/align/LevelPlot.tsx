import {
  CartesianGrid,
  ReferenceLine,
  ResponsiveContainer,
  Scatter,
  ScatterChart,
  XAxis,
  YAxis,
} from "recharts";
import type { LevelFit } from "@hindglance/core/align/levelling";
import { number } from "../lib/format";

const SOFT = "#5b6866";
const TICK = { fontSize: 10.5, fill: SOFT };

/** Of so many corners of a curve one is drawn. */
const PLOTTED = 8;

const endsOf = (values: number[]): [number, number] => [Math.min(...values), Math.max(...values)];

const dot = ({ cx: x, cy: y }: { cx?: number; cy?: number }) => (
  <circle cx={x} cy={y} r={1.6} fill="#1f6658" fillOpacity={0.5} />
);

/** Cells used, date across, reference up, with the fitted line. */
export function LevelPlot({ fit }: { fit: LevelFit["bands"][number] }) {
  const [lo, hi] = endsOf(fit.scatter.map(([x]) => x));
  const [low, high] = endsOf(fit.scatter.map(([, y]) => y));
  const tick = (value: number) => number(value, Math.abs(high - low) < 2 ? 2 : 0);
  const lineAt = (x: number) => ({ x, y: fit.multiply * x + fit.add });
  const corners = (fit.curve ?? []).filter((_, k) => k % PLOTTED === 0).map(([x, y]) => ({ x, y }));
  const path = corners.length > 1 ? corners : [lineAt(lo), lineAt(hi)];
  const segments = path.slice(1).map((to, k) => [path[k]!, to] as const);
  const axis = { type: "number", tickFormatter: tick, tick: TICK, tickCount: 4 } as const;
  const label = { fontSize: 11, fill: SOFT };
  return (
    <div
      role="img"
      aria-label={`Scatter of ${fit.band}: date across, reference up`}
      className="mt-2 h-[150px]"
    >
      <ResponsiveContainer>
        <ScatterChart margin={{ top: 4, right: 8, bottom: 16, left: 0 }}>
          <CartesianGrid stroke="#e6e1d4" />
          <XAxis
            {...axis}
            dataKey="x"
            domain={[lo, hi]}
            label={{ ...label, value: "date", position: "insideBottom", offset: -10 }}
          />
          <YAxis
            {...axis}
            dataKey="y"
            domain={[low, high]}
            width={44}
            label={{
              ...label,
              value: "reference",
              angle: -90,
              position: "insideLeft",
              offset: 8,
            }}
          />
          <Scatter
            data={fit.scatter.map(([x, y]) => ({ x, y }))}
            fill="#1f6658"
            fillOpacity={0.45}
            shape={dot}
            isAnimationActive={false}
          />
          {segments.map(([from, to]) => (
            <ReferenceLine
              key={from.x}
              stroke="#b9562b"
              strokeWidth={1.5}
              segment={[from, to]}
              ifOverflow="hidden"
            />
          ))}
        </ScatterChart>
      </ResponsiveContainer>
    </div>
  );
}
