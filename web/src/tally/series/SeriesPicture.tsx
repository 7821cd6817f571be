import { sayError } from "../../api/client";
import type { Study } from "../../api/types";
import { dayYear, areaSaid, number } from "../../lib/format";
import { Bar } from "../../ui/Bar";
import { Problem } from "../../ui/Messages";
import { DateMap } from "./DateMap";
import { Means } from "./Means";
import { Plot } from "./Plot";
import { zoneColour } from "./plotLine";
import { type Series, whole } from "./series";
import type { Count } from "./useCount";
import type { SeriesOnScreen } from "./useSeries";

interface Props {
  study: Study;
  count: Count;
  shown: SeriesOnScreen;
}

/** The figure of the picked date, plots over all dates, and the map of the one that is picked. */
export function SeriesPicture({ study, count, shown }: Props) {
  const { series, error, run } = shown;
  const wrong = error ?? (run?.state === "failed" ? run.error : null);
  return (
    <div className="flex h-full flex-col gap-3 overflow-auto bg-bone p-4 text-ink">
      <Headline study={study} name={count.count.name} shown={shown} />
      {wrong && <Problem>{sayError(wrong)}</Problem>}
      {!wrong && !series && <p className="py-10 text-center text-soft">Looking for dates …</p>}
      {!error && series && <Plots study={study} count={count} shown={shown} series={series} />}
    </div>
  );
}

function Headline({ study, name, shown }: { study: Study; name: string; shown: SeriesOnScreen }) {
  const { picked, run, dates } = shown;
  const sums = picked ? whole(picked) : null;
  return (
    <div className="flex items-end justify-between gap-4">
      <div>
        <p className="text-soft">
          {study.name}, {picked ? dayYear(picked.acquiredAt) : ""}
        </p>
        <h1 className="text-figure font-bold">
          {sums ? areaSaid(sums.beyondM2) : "–"} {name.toLowerCase()}{" "}
          <span className="text-[18px] font-normal text-soft">
            {sums && sums.seenM2 > 0
              ? `${number((100 * sums.beyondM2) / sums.seenM2, 1)} % of ${areaSaid(sums.seenM2)} seen`
              : ""}
          </span>
        </h1>
      </div>
      {run?.state === "running" && (
        <span className="w-[180px]">
          <span className="text-label text-soft">Measuring {dates.length} dates</span>
          <Bar share={run.progress} label="Measuring dates" />
        </span>
      )}
    </div>
  );
}

function Plots({ study, count, shown, series }: Props & { series: Series }) {
  const { dates, picked, pick, counted, version } = shown;
  const { name, color, op, value } = count.count;
  const zones = series.zones.map((zone, k) => ({
    key: `z${k}`,
    name: zone,
    colour: zoneColour(k),
    of: (date: Series["dates"][number]) => (date.zones ? date.zones[k + 1]!.beyondM2 / 1e6 : null),
  }));
  const all = {
    key: "all",
    name: "All",
    colour: color,
    of: (date: Series["dates"][number]) => {
      const sums = whole(date);
      return sums ? sums.beyondM2 / 1e6 : null;
    },
  };
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[1.25fr_1fr] gap-3">
      <div className="flex min-h-0 flex-col gap-3">
        <Plot
          title={`Area of ${name.toLowerCase()}, km²`}
          {...{ study, dates, picked, pick }}
          digits={2}
          lines={[all, ...zones]}
          waiting={!counted}
          zero
        />
        <Means kind={count.kind} {...{ study, series, picked, pick, version }} />
      </div>
      <div className="on-night relative min-h-[300px] overflow-hidden rounded-card bg-night">
        {picked && (
          <>
            <DateMap study={study} date={picked} op={op} value={value} colour={color} />
            <div className="pointer-events-none absolute left-2.5 top-2.5 rounded-field bg-night/85 px-2.5 py-1 text-label text-white">
              <b>{dayYear(picked.acquiredAt)}</b> · {series.band}
            </div>
          </>
        )}
      </div>
    </div>
  );
}
