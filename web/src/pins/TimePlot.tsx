import {
  CartesianGrid,
  Legend,
  Line,
  LineChart,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import type { Study } from "../api/types";
import { day, dayYear, number } from "../lib/format";
import type { PlaceValues, Series } from "./values";

interface Props {
  study: Study;
  values: PlaceValues;
  series: Series[];
}

const COLORS = ["#1f6658", "#8a5a9e", "#a9760b", "#3b7f9b", "#7a6a4f", "#5b6866", "#b85c8e"];

const isoOf = (time: number): string => new Date(time).toISOString();

/** Before, after and the event, as far as they have a time. */
function marksOf(study: Study, values: PlaceValues) {
  const timeOf = (id: string | null | undefined) =>
    values.scenes.find((scene) => scene.sceneId === id)?.acquiredAt ?? null;
  const marks = [
    { at: timeOf(study.compare?.beforeId), stroke: "#3f6aa8", strokeWidth: 2 },
    { at: timeOf(study.compare?.afterId), stroke: "#b9562b", strokeWidth: 2 },
    { at: study.eventAt, stroke: "#1d2a2b", strokeWidth: 1, strokeDasharray: "3 3" },
  ];
  return marks.flatMap(({ at, ...line }) => (at ? [{ x: Date.parse(at), ...line }] : []));
}

/** Values of every band over time; nothing where there is only one date. */
export function TimePlot({ study, values, series }: Props) {
  const times = [...new Set(series.flatMap(({ points }) => points.map(({ t }) => t)))].sort(
    (a, b) => a - b,
  );
  if (times.length < 2) {
    return null;
  }
  const rows = times.map((t) => ({
    t,
    ...Object.fromEntries(
      series.map(({ key, points }) => [key, points.find((one) => one.t === t)?.value ?? null]),
    ),
  }));
  const unit = series[0]?.unit ?? "";
  return (
    <div
      className="h-[150px]"
      role="img"
      aria-label={`Values over time of ${series.map(({ key }) => key).join(" and ")}`}
    >
      <ResponsiveContainer width="100%" height="100%">
        <LineChart data={rows} margin={{ top: 6, right: 12, bottom: 0, left: -14 }}>
          <CartesianGrid stroke="#e4dfd2" vertical={false} />
          <XAxis
            dataKey="t"
            type="number"
            scale="time"
            domain={["dataMin", "dataMax"]}
            ticks={times}
            tickFormatter={(t: number) => day(isoOf(t)).replace(/^(\d+ \w{3})\w*$/, "$1")}
            tick={{ fontSize: 11 }}
            minTickGap={18}
          />
          <YAxis
            domain={["auto", "auto"]}
            tick={{ fontSize: 11 }}
            tickFormatter={(value: number) => number(value, unit === "dB" ? 0 : 2)}
            unit={unit ? ` ${unit}` : ""}
            width={62}
          />
          <Tooltip
            isAnimationActive={false}
            labelFormatter={(t) => dayYear(isoOf(Number(t)))}
            formatter={(value) => number(Number(value), 2)}
          />
          {series.length > 1 && <Legend iconSize={9} wrapperStyle={{ fontSize: 11 }} />}
          {marksOf(study, values).map((mark) => (
            <ReferenceLine key={mark.stroke} {...mark} ifOverflow="hidden" />
          ))}
          {series.map(({ key }, k) => (
            <Line
              key={key}
              dataKey={key}
              stroke={COLORS[k % COLORS.length]}
              dot={{ r: 3 }}
              strokeWidth={2}
              connectNulls
              isAnimationActive={false}
            />
          ))}
        </LineChart>
      </ResponsiveContainer>
    </div>
  );
}
