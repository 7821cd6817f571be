import {
  CartesianGrid,
  Line,
  LineChart,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import type { Study } from "../../api/types";
import { day, dayYear, number } from "../../lib/format";
import type { PlotLine } from "./plotLine";
import type { SeriesDate } from "./series";

interface Props {
  study: Study;
  dates: SeriesDate[];
  picked: SeriesDate | null;
  pick(id: string): void;
  lines: PlotLine[];
  /** Keys of lines that are switched off. */
  off: ReadonlySet<string>;
  digits: number;
  zero?: boolean;
}

/** Milliseconds of a series from which on months are written, not days. */
const LONG = 300 * 864e5;
/** Dates from which on only the main line has dots. */
const MANY = 20;

const timeOf = (date: SeriesDate): number => Date.parse(date.acquiredAt);

/** Day and short month; year and month over a long series. */
function tickText(time: number, isLong: boolean): string {
  const iso = new Date(time).toISOString();
  return isLong ? iso.slice(0, 7) : day(iso).replace(/^(\d+ \w{3})\w*$/, "$1");
}

function valueText(value: number, digits: number): string {
  const few = Number.isInteger(value) ? 0 : 1;
  return number(value, digits > 2 ? 2 : few);
}

function dotOf(line: PlotLine, dates: number): { r: number } | false {
  if (line.key === "all") {
    return { r: 3 };
  }
  return dates > MANY ? false : { r: 2 };
}

/** The lines themselves, the event, and the date that is picked. */
export function Chart({ study, dates, picked, pick, lines, off, digits, zero }: Props) {
  const rows = dates.map((date) => ({
    t: timeOf(date),
    ...Object.fromEntries(lines.map((line) => [line.key, line.of(date)])),
  }));
  const isLong = dates.length > 1 && timeOf(dates[dates.length - 1]!) - timeOf(dates[0]!) > LONG;
  return (
    <ResponsiveContainer width="100%" height="100%">
      <LineChart
        data={rows}
        margin={{ top: 4, right: 10, bottom: 0, left: -8 }}
        onClick={({ activeTooltipIndex: index }) => {
          const date = index === null || index === undefined ? null : dates[Number(index)];
          if (date) {
            pick(date.sceneId);
          }
        }}
      >
        <CartesianGrid stroke="#e4dfd2" vertical={false} />
        <XAxis
          dataKey="t"
          type="number"
          scale="time"
          domain={["dataMin", "dataMax"]}
          padding={{ left: 8, right: 8 }}
          ticks={isLong ? undefined : rows.map((row) => row.t)}
          tickFormatter={(time: number) => tickText(time, isLong)}
          tick={{ fontSize: 11 }}
          minTickGap={22}
        />
        <YAxis
          tick={{ fontSize: 11 }}
          width={54}
          domain={[zero ? 0 : "auto", "auto"]}
          tickFormatter={(value: number) => valueText(value, digits)}
        />
        <Tooltip
          isAnimationActive={false}
          labelFormatter={(time) => dayYear(new Date(Number(time)).toISOString())}
          formatter={(value, key) => [
            number(Number(value), digits),
            lines.find((line) => line.key === key)?.name ?? "",
          ]}
          contentStyle={{ fontSize: 12, borderRadius: 8, borderColor: "#d8d3c6" }}
        />
        {study.eventAt && mark(Date.parse(study.eventAt), "#1d2a2b", "3 3")}
        {picked && mark(timeOf(picked), "#b9562b")}
        {lines.filter((line) => !off.has(line.key)).map((line) => lineOf(line, dates.length))}
      </LineChart>
    </ResponsiveContainer>
  );
}

/** A line across the plot at a time. The chart finds its parts by their type: no component. */
const mark = (time: number, colour: string, dash?: string) => (
  <ReferenceLine
    x={time}
    stroke={colour}
    strokeWidth={dash ? 1 : 1.5}
    strokeDasharray={dash}
    ifOverflow="hidden"
  />
);

const lineOf = (line: PlotLine, dates: number) => (
  <Line
    key={line.key}
    dataKey={line.key}
    stroke={line.colour}
    strokeWidth={line.key === "all" ? 2.4 : 1.4}
    strokeDasharray={line.dashed ? "5 3" : undefined}
    dot={dotOf(line, dates)}
    connectNulls
    isAnimationActive={false}
  />
);
