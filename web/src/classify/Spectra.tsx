import type { LegendClass } from "@hindglance/core/classify/settings";
import { number } from "../lib/format";
import { useSize } from "../ui/useSize";
import type { TrainingOnScreen } from "./useTraining";

type Facts = NonNullable<TrainingOnScreen["data"]>;

const HEIGHT = 150;
const ROOM = { left: 36, right: 18, top: 8, bottom: 18 };

/** Ends of all means with their spread, a little room about them. */
function spanOf({ classes }: Pick<Facts, "classes">): [number, number] {
  const ends = classes.flatMap(({ mean, deviation }) =>
    mean.flatMap((value, k) => [value - deviation[k]!, value + deviation[k]!]),
  );
  const [lo, hi] = [Math.min(...ends), Math.max(...ends)];
  const room = 0.04 * (hi - lo || 1);
  return [lo - room, hi + room];
}

const decimalsOf = (span: number): number =>
  Math.max(0, Math.min(3, 1 - Math.floor(Math.log10(span))));

interface Props {
  data: Facts;
  legend: readonly LegendClass[];
  /** Inputs that are no bands of the date: they have units of their own. */
  besides: readonly string[];
}

/** What was trained on by the bands of the date alone, where it has any. */
function ofBands(data: Facts, besides: readonly string[]): Pick<Facts, "inputs" | "classes"> {
  const places = [...data.inputs.keys()].filter((k) => !besides.includes(data.inputs[k]!));
  if (places.length === 0) {
    return data;
  }
  const some = (values: readonly number[]) => places.map((k) => values[k]!);
  return {
    inputs: places.map((k) => data.inputs[k]!),
    classes: data.classes.map((one) => ({
      ...one,
      mean: some(one.mean),
      deviation: some(one.deviation),
    })),
  };
}

/** Width of a letter of a label, pixels, on the average. */
const LETTER = 5.8;

/** Which labels have room beside each other: from the first on, each that meets none before it. */
function withRoom(names: readonly string[], x: (k: number) => number): boolean[] {
  let end = -Infinity;
  return names.map((name, k) => {
    const half = (LETTER * name.length) / 2;
    const hasRoom = x(k) - half > end;
    end = hasRoom ? x(k) + half : end;
    return hasRoom;
  });
}

/** Means of every class over the inputs, each with a deviation either way. */
export function Spectra({ data: whole, legend, besides }: Props) {
  const [box, { width }] = useSize<HTMLDivElement>();
  const data = ofBands(whole, besides);
  const { inputs, classes } = data;
  const [lo, hi] = spanOf(data);
  const inner = Math.max(1, width - ROOM.left - ROOM.right);
  const x = (k: number) =>
    ROOM.left + (inputs.length === 1 ? inner / 2 : (inner * k) / (inputs.length - 1));
  const y = (value: number) =>
    ROOM.top + ((HEIGHT - ROOM.top - ROOM.bottom) * (hi - value)) / (hi - lo);
  const line = (values: readonly number[]) =>
    values.map((value, k) => `${x(k).toFixed(1)},${y(value).toFixed(1)}`).join(" ");
  const colorOf = (label: number) => legend.find((one) => one.label === label)?.color ?? "#000000";
  const isNamed = withRoom(inputs, x);
  const said = classes
    .map(({ label, mean }) => {
      const name = legend.find((one) => one.label === label)?.name ?? "";
      return `${name}: ${mean.map((value) => number(value, 3)).join(", ")}`;
    })
    .join("; ");
  return (
    <div ref={box}>
      {width > 0 && (
        <svg width={width} height={HEIGHT} role="img" aria-label={`Means of the classes. ${said}`}>
          {[lo, (lo + hi) / 2, hi].map((value) => (
            <text
              key={value}
              x={ROOM.left - 5}
              y={y(value)}
              dy={value === hi ? "0.8em" : "0.3em"}
              textAnchor="end"
              className="fill-soft font-mono text-[10px]"
            >
              {number(value, decimalsOf(hi - lo))}
            </text>
          ))}
          {inputs.map((name, k) => (
            <g key={name}>
              <line x1={x(k)} x2={x(k)} y1={ROOM.top} y2={HEIGHT - ROOM.bottom} stroke="#e4e0d5" />
              <text x={x(k)} y={HEIGHT - 5} textAnchor="middle" className="fill-soft text-[10px]">
                {isNamed[k] ? name : ""}
              </text>
            </g>
          ))}
          {classes.map(({ label, mean, deviation }) => (
            <polygon
              key={label}
              points={`${line(mean.map((value, k) => value + deviation[k]!))} ${line(
                mean.map((value, k) => value - deviation[k]!),
              )
                .split(" ")
                .reverse()
                .join(" ")}`}
              fill={colorOf(label)}
              fillOpacity={0.18}
            />
          ))}
          {classes.map(({ label, mean }) => (
            <polyline
              key={label}
              points={line(mean)}
              fill="none"
              stroke={colorOf(label)}
              strokeWidth={1.8}
            />
          ))}
        </svg>
      )}
    </div>
  );
}
