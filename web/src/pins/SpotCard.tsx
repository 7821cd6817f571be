import { useState } from "react";
import { X } from "lucide-react";
import { sayError } from "../api/client";
import type { Study } from "../api/types";
import { degrees, number } from "../lib/format";
import { Choice } from "../ui/Choice";
import { Problem } from "../ui/Messages";
import { KeepPin } from "./KeepPin";
import { SIZES, useValues } from "./pins";
import { Spectra } from "./Spectra";
import { TimePlot } from "./TimePlot";
import { UndatedValues } from "./UndatedValues";
import { ValueTable } from "./ValueTable";
import { type Place, type PlaceValues, seriesOf, spectraOf } from "./values";

interface Props {
  study: Study;
  place: Place;
  /** Of the pin that it is; null for a place that is only looked at. */
  name: string | null;
  version: string;
  onClose(): void;
}

/**
 * What every date shows at one place: a plot over time, the numbers, and the way to keep it as a
 * pin.
 */
export function SpotCard({ study, place, name, version, onClose }: Props) {
  const [size, setSize] = useState("3");
  const { data, error } = useValues(study.id, [place], Number(size), version);
  const height = data?.heights[0];
  return (
    <section
      aria-label="Values at this place"
      className="absolute bottom-3 right-3 z-20 flex max-h-[calc(100%-24px)] w-[430px] flex-col overflow-auto rounded-card border border-line bg-paper p-3 text-ink shadow-lg"
      onPointerDown={(event) => event.stopPropagation()}
    >
      <header className="mb-1 flex items-center justify-between gap-2">
        <h2 className="font-semibold">
          {name ?? "This place"}{" "}
          <span className="ml-1 font-mono text-[12px] font-normal text-soft">
            {degrees(...place)}
            {height == null ? "" : `, ${number(height, 0)} m`}
          </span>
        </h2>
        <button
          type="button"
          aria-label="Close the values"
          onClick={onClose}
          className="rounded p-0.5 text-soft hover:text-ink"
        >
          <X size={15} aria-hidden />
        </button>
      </header>
      <div className="mb-1 flex items-center justify-between gap-2">
        <span className="text-label text-soft">Mean of cells around it</span>
        <Choice
          label="Cells"
          value={size}
          onChange={setSize}
          options={SIZES.map((one) => ({ value: one, name: `${one} x ${one}` }))}
        />
      </div>
      {error && <Problem>{sayError(error)}</Problem>}
      {!error && !data && <p className="py-10 text-center text-soft">Reading values …</p>}
      {!error && data && (
        <>
          <Values study={study} values={data} />
          {name === null && <KeepPin studyId={study.id} place={place} onKept={onClose} />}
        </>
      )}
    </section>
  );
}

/** Spectra where there are any, else values over time; and what has no date. */
function Values({ study, values }: { study: Study; values: PlaceValues }) {
  const [plot, setPlot] = useState("spectrum");
  const { beforeId = null, afterId = null } = study.compare ?? {};
  const spectra = spectraOf(values, 0);
  const series = seriesOf(values, 0);
  const showsSpectra = spectra.length > 0 && plot === "spectrum";
  return (
    <>
      {spectra.length > 0 && (
        <div className="mb-1">
          <Choice
            label="Plot"
            value={plot}
            onChange={setPlot}
            options={[
              { value: "spectrum", name: "Spectrum" },
              { value: "time", name: "Over time" },
            ]}
          />
        </div>
      )}
      {showsSpectra ? (
        <Spectra spectra={spectra} beforeId={beforeId} afterId={afterId} />
      ) : (
        <>
          <TimePlot study={study} values={values} series={series} />
          <ValueTable values={values} series={series} beforeId={beforeId} afterId={afterId} />
        </>
      )}
      <UndatedValues values={values} />
    </>
  );
}
