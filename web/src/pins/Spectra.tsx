import {
  CartesianGrid,
  Legend,
  Line,
  LineChart,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import { dayYear, number } from "../lib/format";
import type { spectraOf } from "./values";

const OTHERS = ["#1f6658", "#8a5a9e", "#a9760b", "#5b6866", "#3b7f9b"];

/**
 * Reflectance over wavelength at one place, a line a date; before is blue and after clay, as
 * everywhere. `label`: in place of the date.
 */
export function Spectra({
  spectra,
  beforeId,
  afterId,
}: {
  spectra: (ReturnType<typeof spectraOf>[0] & { label?: string })[];
  beforeId: string | null;
  afterId: string | null;
}) {
  const all = [...new Set(spectra.flatMap((s) => s.points.map((point) => point.nm)))].sort(
    (a, b) => a - b,
  );
  const name = (s: (typeof spectra)[0]) =>
    s.label ?? (s.acquiredAt ? dayYear(s.acquiredAt) : "no date");
  const rows = all.map((nm) => ({
    nm,
    ...Object.fromEntries(
      spectra.map((s) => [s.sceneId, s.points.find((point) => point.nm === nm)?.value ?? null]),
    ),
  }));
  const color = (s: (typeof spectra)[0], k: number) => {
    if (s.sceneId === beforeId) {
      return "#3f6aa8";
    }
    if (s.sceneId === afterId) {
      return "#b9562b";
    }
    return OTHERS[k % OTHERS.length];
  };
  return (
    <>
      <div
        className="h-[190px]"
        role="img"
        aria-label={`Spectra of ${spectra.map(name).join(", ")}`}
      >
        <ResponsiveContainer width="100%" height="100%">
          <LineChart data={rows} margin={{ top: 6, right: 12, bottom: 0, left: -18 }}>
            <CartesianGrid stroke="#e4dfd2" vertical={false} />
            <XAxis
              dataKey="nm"
              type="number"
              domain={["dataMin", "dataMax"]}
              tick={{ fontSize: 11 }}
              unit=" nm"
              tickCount={6}
              minTickGap={24}
            />
            <YAxis
              domain={[0, "auto"]}
              tick={{ fontSize: 11 }}
              tickFormatter={(x: number) => number(x, 2)}
              width={56}
            />
            <Tooltip
              isAnimationActive={false}
              labelFormatter={(nm) => `${number(Number(nm))} nm`}
              formatter={(x) => number(Number(x), 3)}
            />
            {spectra.length <= 4 && <Legend iconSize={9} wrapperStyle={{ fontSize: 11 }} />}
            {spectra.map((s, k) => (
              <Line
                key={s.sceneId}
                dataKey={s.sceneId}
                name={name(s)}
                stroke={color(s, k)}
                dot={{ r: 2.5 }}
                strokeWidth={2}
                connectNulls
                isAnimationActive={false}
              />
            ))}
          </LineChart>
        </ResponsiveContainer>
      </div>
      <table className="mt-1 w-full text-[12px]">
        <thead>
          <tr className="text-label text-soft">
            <th className="text-left font-normal">nm</th>
            {spectra.map((s, k) => (
              <th key={s.sceneId} className="text-right align-bottom font-normal">
                <span
                  aria-hidden
                  className="ml-auto mb-0.5 block h-[3px] w-6 rounded"
                  style={{ background: color(s, k) }}
                />
                {name(s)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {all.map((nm) => (
            <tr key={nm} className="border-t border-line">
              <td className="whitespace-nowrap font-mono">{number(nm)}</td>
              {spectra.map((s) => {
                const point = s.points.find((x) => x.nm === nm);
                return (
                  <td key={s.sceneId} className="text-right font-mono">
                    {point ? number(point.value, 3) : "–"}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
