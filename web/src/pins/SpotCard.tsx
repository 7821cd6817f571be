import { useState } from "react";
import { X } from "lucide-react";
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
import { sayError } from "../api/client";
import { day, dayYear, degrees, number } from "../lib/format";
import { Button, Choice, Problem, cx, inputStyle } from "../ui/controls";
import { SIZES, usePinEdits, useValues } from "./pins";
import { type Place, seriesOf, spectraOf } from "./values";
import { Spectra } from "./Spectra";

const COLORS = ["#1f6658", "#8a5a9e", "#a9760b", "#3b7f9b", "#7a6a4f", "#5b6866", "#b85c8e"];

/**
 * What every date shows at one place: a plot over time, the numbers, and the way to keep it as a
 * pin.
 */
export function SpotCard({
  study,
  place,
  name,
  version,
  onClose,
}: {
  study: Study;
  place: Place;
  name: string | null;
  version: string;
  onClose(): void;
}) {
  const [size, setSize] = useState("3");
  const [keeping, setKeeping] = useState<string | null>(null);
  const [plot, setPlot] = useState("spectrum");
  const answer = useValues(study.id, [place], Number(size), version);
  const { create } = usePinEdits(study.id);
  const data = answer.data;
  const spectra = data ? spectraOf(data, 0) : [];
  const asSpectra = spectra.length > 0 && plot === "spectrum";
  const series = data ? seriesOf(data, 0) : [];
  const times = [...new Set(series.flatMap((s) => s.points.map((point) => point.t)))].sort(
    (a, b) => a - b,
  );
  const rows = times.map((t) => ({
    t,
    ...Object.fromEntries(
      series.map((s) => [s.key, s.points.find((point) => point.t === t)?.value ?? null]),
    ),
  }));
  const { beforeId, afterId } = study.compare ?? { beforeId: null, afterId: null };
  const timeOf = (id: string | null) => {
    const sceneValues = data?.scenes.find((scene) => scene.sceneId === id);
    return sceneValues?.acquiredAt ? Date.parse(sceneValues.acquiredAt) : null;
  };
  const marks = [
    [timeOf(beforeId), "#3f6aa8"],
    [timeOf(afterId), "#b9562b"],
    [study.eventAt ? Date.parse(study.eventAt) : null, "#1d2a2b"],
  ] as const;
  const dated =
    data?.scenes.filter(
      (scene) =>
        scene.acquiredAt &&
        !scene.problem &&
        scene.bands.length > 0 &&
        scene.values[0]!.some((x) => x !== null),
    ) ?? [];
  const still = data?.scenes.filter((scene) => !scene.acquiredAt && !scene.problem) ?? [];
  const troubled = data?.scenes.filter((scene) => scene.problem) ?? [];
  const keys = series.map((s) => s.key);
  return (
    <section
      aria-label="Values at this place"
      className="absolute bottom-3 right-3 z-20 flex max-h-[calc(100%-24px)] w-[430px] flex-col overflow-auto rounded-card border border-line bg-paper p-3 text-ink shadow-lg"
      onPointerDown={(e) => e.stopPropagation()}
    >
      <header className="mb-1 flex items-center justify-between gap-2">
        <h2 className="font-semibold">
          {name ?? "This place"}{" "}
          <span className="ml-1 font-mono text-[12px] font-normal text-soft">
            {degrees(...place)}
            {data?.heights[0] != null ? `, ${number(data.heights[0], 0)} m` : ""}
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
          options={SIZES.map((s) => ({ value: s, name: `${s} x ${s}` }))}
        />
      </div>
      {answer.error ? (
        <Problem>{sayError(answer.error)}</Problem>
      ) : !data ? (
        <p className="py-10 text-center text-soft">Reading values …</p>
      ) : (
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
          {asSpectra && <Spectra spectra={spectra} beforeId={beforeId} afterId={afterId} />}
          {!asSpectra && rows.length > 1 && (
            <div
              className="h-[150px]"
              role="img"
              aria-label={`Values over time of ${keys.join(" and ")}`}
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
                    tickFormatter={(t: number) =>
                      day(new Date(t).toISOString()).replace(/^(\d+ \w{3})\w*$/, "$1")
                    }
                    tick={{ fontSize: 11 }}
                    minTickGap={18}
                  />
                  <YAxis
                    domain={["auto", "auto"]}
                    tick={{ fontSize: 11 }}
                    tickFormatter={(x: number) => number(x, series[0]?.unit === "dB" ? 0 : 2)}
                    unit={series[0]?.unit ? ` ${series[0].unit}` : ""}
                    width={62}
                  />
                  <Tooltip
                    isAnimationActive={false}
                    labelFormatter={(reactNode) =>
                      dayYear(new Date(Number(reactNode)).toISOString())
                    }
                    formatter={(x) => number(Number(x), 2)}
                  />
                  {keys.length > 1 && <Legend iconSize={9} wrapperStyle={{ fontSize: 11 }} />}
                  {marks.map(
                    ([t, color]) =>
                      t !== null && (
                        <ReferenceLine
                          key={color}
                          x={t}
                          stroke={color}
                          strokeWidth={color === "#1d2a2b" ? 1 : 2}
                          strokeDasharray={color === "#1d2a2b" ? "3 3" : undefined}
                          ifOverflow="hidden"
                        />
                      ),
                  )}
                  {series.map((s, k) => (
                    <Line
                      key={s.key}
                      dataKey={s.key}
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
          )}
          {!asSpectra && (
            <table className="mt-1 w-full text-[12px]">
              <thead>
                <tr className="text-left text-label text-soft">
                  <th className="font-normal">Date</th>
                  {keys.map((key) => (
                    <th key={key} className="text-right font-normal">
                      {key}
                      {series.find((s) => s.key === key)!.unit
                        ? `, ${series.find((s) => s.key === key)!.unit}`
                        : ""}
                    </th>
                  ))}
                  <th className="pl-3 font-normal">also</th>
                </tr>
              </thead>
              <tbody>
                {dated.map((sceneValues) => (
                  <tr key={sceneValues.sceneId} className="border-t border-line">
                    <td
                      className={cx(
                        "whitespace-nowrap",
                        sceneValues.sceneId === beforeId
                          ? "font-semibold text-beforeink"
                          : sceneValues.sceneId === afterId
                            ? "font-semibold text-afterink"
                            : "",
                      )}
                    >
                      {day(sceneValues.acquiredAt!)}
                    </td>
                    {keys.map((key) => {
                      const i = sceneValues.bands.findIndex((band) => band.key === key);
                      const x = i < 0 ? null : sceneValues.values[0]![i];
                      return (
                        <td key={key} className="text-right font-mono">
                          {x == null
                            ? "–"
                            : number(x, sceneValues.bands[i]!.role === "reflectance" ? 3 : 2)}
                        </td>
                      );
                    })}
                    <td className="truncate pl-3 text-label text-soft">
                      {sceneValues.classes
                        ? (sceneValues.classes.find(
                            (classInfo) => classInfo.label === sceneValues.values[0]![0],
                          )?.name ?? "no class")
                        : sceneValues.bands
                            .flatMap((band, i) =>
                              band.role === "angle" && sceneValues.values[0]![i] != null
                                ? [`incidence ${number(sceneValues.values[0]![i], 0)}°`]
                                : band.role === "hidden" && sceneValues.values[0]![i]
                                  ? ["layover or shadow"]
                                  : [],
                            )
                            .join(", ")}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          {still.map((sceneValues) => (
            <p key={sceneValues.sceneId} className="mt-1 text-[12px]">
              {sceneValues.name}:{" "}
              {sceneValues.bands.map((band, i) => (
                <span key={band.key} className="font-mono">
                  {sceneValues.values[0]![i] == null
                    ? "nodata"
                    : sceneValues.classes
                      ? sceneValues.classes.find(
                          (classInfo) => classInfo.label === sceneValues.values[0]![i],
                        )?.name
                      : `${number(sceneValues.values[0]![i], 1)} ${band.unit}`}
                </span>
              ))}
            </p>
          ))}
          {dated.length === 0 && still.length === 0 && (
            <p className="py-3 text-soft">No scene has a value here.</p>
          )}
          {troubled.length > 0 && (
            <p className="mt-1 text-label text-soft">
              Without values:{" "}
              {troubled
                .map((sceneValues) => `${sceneValues.name} (${sceneValues.problem})`)
                .join("; ")}
              .
            </p>
          )}
          {name === null && (
            <form
              className="mt-2 flex gap-2"
              onSubmit={(e) => {
                e.preventDefault();
                if (keeping?.trim()) {
                  create.mutate(
                    { name: keeping.trim(), lon: place[0], lat: place[1], expected: null },
                    {
                      onSuccess: () => {
                        setKeeping(null);
                        onClose();
                      },
                    },
                  );
                }
              }}
            >
              <input
                aria-label="Name of the pin"
                placeholder="Name, such as Mill pond"
                className={inputStyle}
                value={keeping ?? ""}
                maxLength={80}
                onChange={(e) => setKeeping(e.target.value)}
              />
              <Button type="submit" disabled={!keeping?.trim() || create.isPending}>
                Keep as pin
              </Button>
            </form>
          )}
        </>
      )}
    </section>
  );
}
