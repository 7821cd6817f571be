import { useState } from "react";
import type { Study } from "../../api/types";
import { day, number } from "../../lib/format";
import { cx } from "../../ui/cx";
import { Chart } from "./Chart";
import type { PlotLine } from "./plotLine";
import type { SeriesDate } from "./series";

interface Props {
  title: string;
  study: Study;
  dates: SeriesDate[];
  picked: SeriesDate | null;
  pick(id: string): void;
  lines: PlotLine[];
  digits: number;
  waiting: boolean;
  /** The axis begins at nought, as areas should. */
  zero?: boolean;
}

/** A plot in words, by its first line. */
function inWords(title: string, dates: SeriesDate[], line: PlotLine, digits: number): string {
  const values = dates.map((date) => {
    const value = line.of(date);
    return `${day(date.acquiredAt)} ${value === null ? "none" : number(value, digits)}`;
  });
  return `${title}: ${values.join(", ")}`;
}

/** Lines over the dates; a click picks the date under it. Names above switch lines off and on. */
export function Plot({ title, lines, waiting, ...chart }: Props) {
  const [off, setOff] = useState<ReadonlySet<string>>(new Set());
  const turn = (key: string) =>
    setOff(off.has(key) ? new Set([...off].filter((name) => name !== key)) : new Set(off).add(key));
  return (
    <div className="flex min-h-[190px] flex-1 flex-col rounded-card border border-line bg-paper px-3 py-2">
      <div className="mb-1 flex flex-wrap items-center gap-x-2.5 gap-y-0.5">
        <h2 className="mr-1 text-label text-soft">{title}</h2>
        {lines.length > 1 &&
          lines.map((line) => (
            <LineName
              key={line.key}
              line={line}
              on={!off.has(line.key)}
              turn={() => turn(line.key)}
            />
          ))}
      </div>
      {waiting ? (
        <p className="m-auto text-soft">Measuring …</p>
      ) : (
        <div
          className="min-h-0 flex-1"
          role="img"
          aria-label={inWords(title, chart.dates, lines[0]!, chart.digits)}
        >
          <Chart {...chart} lines={lines} off={off} />
        </div>
      )}
    </div>
  );
}

function LineName({ line, on, turn }: { line: PlotLine; on: boolean; turn(): void }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={turn}
      className={cx(
        "flex items-center gap-1 text-label",
        on ? "text-ink" : "text-soft line-through",
      )}
    >
      <span
        className="h-[3px] w-3 rounded"
        style={{ background: on ? line.colour : "#d8d3c6" }}
        aria-hidden
      />
      {line.name}
    </button>
  );
}
