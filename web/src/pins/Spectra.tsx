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

/** A spectrum; `label` stands in place of its date. */
export type Spectrum = ReturnType<typeof spectraOf>[number] & { label?: string };

interface Props {
  spectra: Spectrum[];
  beforeId: string | null;
  afterId: string | null;
}

/** A spectrum with what it is called and drawn in. */
interface Drawn extends Spectrum {
  name: string;
  colour: string;
}

const BEFORE = "#3f6aa8";
const AFTER = "#b9562b";
const OTHERS = ["#1f6658", "#8a5a9e", "#a9760b", "#5b6866", "#3b7f9b"];
/** Spectra from which on a legend would take more room than the plot. */
const MOST_NAMED = 4;

function colourOf(id: string, index: number, { beforeId, afterId }: Props): string {
  if (id === beforeId) {
    return BEFORE;
  }
  return id === afterId ? AFTER : OTHERS[index % OTHERS.length]!;
}

const valueAt = ({ points }: Spectrum, nm: number): number | null =>
  points.find((point) => point.nm === nm)?.value ?? null;

/**
 * Reflectance over wavelength at one place, a line a date; before is blue and after clay, as
 * everywhere.
 */
export function Spectra(props: Props) {
  const drawn = props.spectra.map((spectrum, k): Drawn => ({
    ...spectrum,
    name: spectrum.label ?? (spectrum.acquiredAt ? dayYear(spectrum.acquiredAt) : "no date"),
    colour: colourOf(spectrum.sceneId, k, props),
  }));
  const wavelengths = [...new Set(drawn.flatMap(({ points }) => points.map(({ nm }) => nm)))].sort(
    (a, b) => a - b,
  );
  return (
    <>
      <Plot drawn={drawn} wavelengths={wavelengths} />
      <Table drawn={drawn} wavelengths={wavelengths} />
    </>
  );
}

interface DrawnProps {
  drawn: Drawn[];
  /** Nanometres, in order. */
  wavelengths: number[];
}

function Plot({ drawn, wavelengths }: DrawnProps) {
  const rows = wavelengths.map((nm) => ({
    nm,
    ...Object.fromEntries(drawn.map((one) => [one.sceneId, valueAt(one, nm)])),
  }));
  return (
    <div
      className="h-[190px]"
      role="img"
      aria-label={`Spectra of ${drawn.map(({ name }) => name).join(", ")}`}
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
            tickFormatter={(value: number) => number(value, 2)}
            width={56}
          />
          <Tooltip
            isAnimationActive={false}
            labelFormatter={(nm) => `${number(Number(nm))} nm`}
            formatter={(value) => number(Number(value), 3)}
          />
          {drawn.length <= MOST_NAMED && <Legend iconSize={9} wrapperStyle={{ fontSize: 11 }} />}
          {drawn.map(({ sceneId, name, colour }) => (
            <Line
              key={sceneId}
              dataKey={sceneId}
              name={name}
              stroke={colour}
              dot={{ r: 2.5 }}
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

function Table({ drawn, wavelengths }: DrawnProps) {
  return (
    <table className="mt-1 w-full text-[12px]">
      <thead>
        <tr className="text-label text-soft">
          <th className="text-left font-normal">nm</th>
          {drawn.map(({ sceneId, name, colour }) => (
            <th key={sceneId} className="text-right align-bottom font-normal">
              <span
                aria-hidden
                className="ml-auto mb-0.5 block h-[3px] w-6 rounded"
                style={{ background: colour }}
              />
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {wavelengths.map((nm) => (
          <tr key={nm} className="border-t border-line">
            <td className="whitespace-nowrap font-mono">{number(nm)}</td>
            {drawn.map((one) => {
              const value = valueAt(one, nm);
              return (
                <td key={one.sceneId} className="text-right font-mono">
                  {value === null ? "–" : number(value, 3)}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
