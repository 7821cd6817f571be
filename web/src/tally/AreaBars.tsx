import { Bar, BarChart, CartesianGrid, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import { number } from "../lib/format";
import type { AreasOfMap } from "./table";

/** Square kilometres of every change: a row a zone, or one for the whole map where there are none. */
function rowsOf({ zones, changes, find }: AreasOfMap) {
  const named = zones.length > 1 ? zones.filter((zone) => zone !== null) : [null];
  return named.map((zone) => ({
    zone: zone ?? "Whole map",
    ...Object.fromEntries(
      changes.map(({ name, label }) => [name, Number((find(zone, label).areaM2 / 1e6).toFixed(4))]),
    ),
  }));
}

/** Changes by zone as bars. */
export function AreaBars({ areas }: { areas: AreasOfMap }) {
  return (
    <div className="flex flex-col rounded-card border border-line bg-paper px-4 py-3">
      <h2 className="mb-2 text-label text-soft">
        {areas.zones.length > 1 ? "Change by zone, km²" : "Change by class, km²"}
      </h2>
      <div className="min-h-0 flex-1">
        <ResponsiveContainer width="100%" height="100%">
          <BarChart
            layout="vertical"
            data={rowsOf(areas)}
            margin={{ left: 4, right: 14, top: 0, bottom: 0 }}
            accessibilityLayer
          >
            <CartesianGrid horizontal={false} stroke="#e4dfd3" />
            <XAxis type="number" tick={{ fontSize: 11, fill: "#5b6866" }} stroke="#b9b2a0" />
            <YAxis
              type="category"
              dataKey="zone"
              width={84}
              tick={{ fontSize: 12, fill: "#1d2a2b" }}
              stroke="#b9b2a0"
            />
            <Tooltip
              formatter={(value) => `${number(Number(value), 3)} km²`}
              contentStyle={{ fontSize: 12, borderRadius: 8, borderColor: "#d8d3c6" }}
              cursor={{ fill: "#efece4" }}
            />
            {areas.changes.map((change) => (
              <Bar
                key={change.label}
                dataKey={change.name}
                stackId="a"
                fill={change.color}
                isAnimationActive={false}
              />
            ))}
          </BarChart>
        </ResponsiveContainer>
      </div>
    </div>
  );
}
