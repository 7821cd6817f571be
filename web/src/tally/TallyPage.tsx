import { type ReactNode, useState } from "react";
import { useNavigate, useOutletContext, useSearchParams } from "react-router";
import { Bar, BarChart, CartesianGrid, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import { Copy, Download } from "lucide-react";
import type { ChangeMap, Study, TallyRow } from "../api/types";
import { useScenes } from "../api/hooks";
import { Section, Workspace } from "../frame/Frame";
import { TimeStrip } from "../frame/TimeStrip";
import { type AreaUnit, area, km2, number } from "../lib/format";
import { useFile } from "../report/useFile";
import { useUi } from "../state/ui";
import { Button, Choice, cx } from "../ui/controls";
import { ChangeMapPicker, usePickedMap } from "./ChangeMapPicker";
import { ClassMap } from "./ClassMap";
import { RenameMap } from "./RenameMap";
import { Inputs } from "./Inputs";
import { CountOf } from "./CountOf";
import { SeriesPage } from "./SeriesPage";

const UNITS: { value: AreaUnit; name: string }[] = [
  { value: "km2", name: "km²" },
  { value: "ha", name: "ha" },
  { value: "m2", name: "m²" },
  { value: "cells", name: "cells" },
  { value: "percent", name: "%" },
];
export const NO_CHANGE = 0;

/** Tally: areas by class and zone, and over all dates. */
export function TallyPage() {
  const [search] = useSearchParams();
  return search.get("of") === "dates" ? <SeriesPage /> : <MapTally />;
}

function MapTally() {
  const study = useOutletContext<Study>();
  const go = useNavigate();
  const { maps, map, pick } = usePickedMap(study.id);
  const scenes = useScenes(study.id).data ?? [];
  if (!maps) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  const strip = (
    <TimeStrip
      study={study}
      scenes={scenes}
      beforeId={
        scenes.find((scene) => scene.fileSha256 === map?.provenance.before.sha256)?.id ?? null
      }
      afterId={
        scenes.find((scene) => scene.fileSha256 === map?.provenance.after.sha256)?.id ?? null
      }
    />
  );
  if (!map) {
    return (
      <Workspace
        label="Tally"
        strip={strip}
        picture={
          <div className="flex h-full items-center justify-center text-center text-[#c9d0cd]">
            <div className="w-[360px]">
              <p className="mb-3 text-[15px] text-white">Nothing to count yet</p>
              <p className="mb-4">
                Write a change map in Compare; its areas by class and zone appear here.
              </p>
              <Button onClick={() => void go(`/studies/${study.id}/compare`)}>Go to Compare</Button>
            </div>
          </div>
        }
        desk={
          <Section title="Tally">
            <div className="mb-3">
              <CountOf />
            </div>
            <p className="text-soft">The inputs of the table are recalled here.</p>
          </Section>
        }
      />
    );
  }
  return <Tally key={map.id} study={study} map={map} maps={maps} pick={pick} strip={strip} />;
}

/** The table as text with tabs, for pasting into a document. */
const asText = (
  zones: (string | null)[],
  classes: TallyRow[],
  cell: (z: string | null, level: number) => string,
) =>
  [
    ["zone", ...classes.map((tallyRow) => tallyRow.name)],
    ...zones.map((zone) => [
      zone ?? "All",
      ...classes.map((tallyRow) => cell(zone, tallyRow.label)),
    ]),
  ]
    .map((r) => r.join("\t"))
    .join("\n");

function Tally({
  study,
  map,
  maps,
  pick,
  strip,
}: {
  study: Study;
  map: ChangeMap;
  maps: ChangeMap[];
  pick(id: string): void;
  strip: ReactNode;
}) {
  const [unit, setUnit] = useState<AreaUnit>("km2");
  const [only, setOnly] = useState<number | null>(null);
  const go = useNavigate();
  const csv = useFile(map, "csv");
  const all = map.rows.filter((row) => row.zone === null);
  const changes = all.filter((tallyRow) => tallyRow.label !== NO_CHANGE);
  const zones = [...new Set(map.rows.map((row) => row.zone))].sort((a, b) => {
    if (a === null) {
      return 1;
    }
    if (b === null) {
      return -1;
    }
    return 0;
  });
  const find = (z: string | null, level: number) =>
    map.rows.find((row) => row.zone === z && row.label === level)!;
  const first = changes[0]!;
  const seen = all.reduce((s, tallyRow) => s + tallyRow.areaM2, 0);
  const cell = (z: string | null, level: number) => area(find(z, level), unit);
  const chart = zones
    .filter((zone) => zone !== null)
    .map((zone) => ({
      zone,
      ...Object.fromEntries(
        changes.map((change) => [
          change.name,
          Number((find(zone, change.label).areaM2 / 1e6).toFixed(4)),
        ]),
      ),
    }));
  return (
    <Workspace
      label="Tally"
      strip={strip}
      picture={
        <div className="flex h-full flex-col gap-3.5 overflow-auto bg-bone p-5 text-ink">
          <div className="flex items-end justify-between gap-4">
            <div>
              <p className="flex items-center gap-1 text-soft">
                {study.name}, {map.name}
                <RenameMap key={map.id} map={map} />
              </p>
              <h1 className="text-figure font-bold">
                {km2(first.areaM2)} {first.name.toLowerCase()}{" "}
                <span className="text-[18px] font-normal text-soft">
                  {number(first.sharePercent, 1)} % of {km2(seen)} seen
                </span>
              </h1>
            </div>
            <Choice
              label="Unit"
              value={unit}
              onChange={(value) => setUnit(value)}
              options={UNITS}
            />
          </div>
          <div className="rounded-card border border-line bg-paper px-4 py-3">
            <table className="w-full border-separate border-spacing-x-1 border-spacing-y-[3px]">
              <caption className="sr-only">Areas by class and zone</caption>
              <thead>
                <tr>
                  <th scope="col" className="w-[150px] text-left text-label font-normal text-soft">
                    zone
                  </th>
                  {all.map((tallyRow) => (
                    <th key={tallyRow.label} scope="col" className="text-right font-semibold">
                      <button
                        type="button"
                        aria-pressed={only === tallyRow.label}
                        disabled={tallyRow.label === NO_CHANGE}
                        title={
                          tallyRow.label === NO_CHANGE
                            ? undefined
                            : "Show only this class on the map"
                        }
                        onClick={() => setOnly(only === tallyRow.label ? null : tallyRow.label)}
                        className={cx(
                          "inline-flex items-center gap-1.5 rounded px-1",
                          only === tallyRow.label && "bg-bone",
                        )}
                      >
                        <span
                          className="h-2.5 w-2.5 rounded-[3px]"
                          style={{ background: tallyRow.color }}
                          aria-hidden
                        />
                        {tallyRow.name}
                      </button>
                    </th>
                  ))}
                  <th scope="col" className="text-right text-label font-normal text-soft">
                    seen
                  </th>
                </tr>
              </thead>
              <tbody>
                {zones.map((zone) => {
                  const total = all.reduce(
                    (s, tallyRow) => {
                      const r = find(zone, tallyRow.label);
                      return {
                        areaM2: s.areaM2 + r.areaM2,
                        cells: s.cells + r.cells,
                        sharePercent: s.sharePercent + r.sharePercent,
                      };
                    },
                    { areaM2: 0, cells: 0, sharePercent: 0 },
                  );
                  const most = Math.max(
                    ...zones
                      .filter((x) => x !== null)
                      .flatMap((x) => changes.map((change) => find(x, change.label).areaM2)),
                  );
                  return (
                    <tr key={zone ?? "all"} className={cx(zone === null && "font-semibold")}>
                      <th
                        scope="row"
                        className={cx(
                          "text-left",
                          zone === null ? "border-t border-line pt-1 font-semibold" : "font-medium",
                        )}
                      >
                        {zone ?? (zones.length > 1 ? "All" : "Whole map")}
                      </th>
                      {all.map((tallyRow) => {
                        const r = find(zone, tallyRow.label);
                        return (
                          <td
                            key={tallyRow.label}
                            className={cx(
                              "rounded-[5px] px-2 py-1 text-right font-mono text-[12.5px]",
                              zone === null && "border-t border-line",
                            )}
                            style={
                              tallyRow.label !== NO_CHANGE && zone !== null && r.cells > 0
                                ? {
                                    background: `color-mix(in srgb, ${tallyRow.color} ${Math.round(6 + 30 * Math.sqrt(r.areaM2 / most))}%, #faf8f3)`,
                                  }
                                : undefined
                            }
                          >
                            {r.cells === 0 ? "·" : cell(zone, tallyRow.label)}
                          </td>
                        );
                      })}
                      <td
                        className={cx(
                          "px-2 text-right font-mono text-[12.5px] text-soft",
                          zone === null && "border-t border-line",
                        )}
                      >
                        {area(total, unit)}
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
          </div>
          <div className="grid min-h-[230px] flex-1 grid-cols-2 gap-3.5">
            <div className="flex flex-col rounded-card border border-line bg-paper px-4 py-3">
              <h2 className="mb-2 text-label text-soft">
                {chart.length ? "Change by zone, km²" : "Change by class, km²"}
              </h2>
              <div className="min-h-0 flex-1">
                <ResponsiveContainer width="100%" height="100%">
                  <BarChart
                    layout="vertical"
                    data={
                      chart.length
                        ? chart
                        : [
                            {
                              zone: "Whole map",
                              ...Object.fromEntries(
                                changes.map((change) => [
                                  change.name,
                                  Number((change.areaM2 / 1e6).toFixed(4)),
                                ]),
                              ),
                            },
                          ]
                    }
                    margin={{ left: 4, right: 14, top: 0, bottom: 0 }}
                    accessibilityLayer
                  >
                    <CartesianGrid horizontal={false} stroke="#e4dfd3" />
                    <XAxis
                      type="number"
                      tick={{ fontSize: 11, fill: "#5b6866" }}
                      stroke="#b9b2a0"
                    />
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
                    {changes.map((change) => (
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
            <div className="on-night relative overflow-hidden rounded-card bg-night">
              <ClassMap map={map} study={study} only={only} />
              {only !== null && (
                <div className="pointer-events-none absolute left-2.5 top-2.5 rounded-field bg-night/85 px-2.5 py-1 text-label text-white">
                  <b>{changes.find((change) => change.label === only)?.name}</b> only
                </div>
              )}
            </div>
          </div>
        </div>
      }
      desk={
        <>
          <Section title="Tally">
            <div className="mb-2">
              <CountOf />
            </div>
            <ChangeMapPicker maps={maps} map={map} pick={pick} />
            <p className="mt-2 text-soft">
              {number(map.patchCount)} patches. Areas are sums of cell areas on the WGS 84
              ellipsoid; cells that only one date shows are not counted.
            </p>
          </Section>
          <Section title="What the table was made from">
            <Inputs map={map} />
          </Section>
        </>
      }
      footer={
        <div className="flex items-center justify-between gap-2">
          <span className="flex gap-2">
            <Button
              onClick={() =>
                void navigator.clipboard.writeText(asText(zones, all, cell)).then(
                  () => useUi.getState().say("The table is on the clipboard."),
                  () =>
                    useUi
                      .getState()
                      .say("The browser does not let the page write to the clipboard.", "wrong"),
                )
              }
            >
              <Copy size={14} aria-hidden />
              Copy table
            </Button>
            <Button disabled={csv.busy} onClick={csv.get}>
              <Download size={14} aria-hidden />
              {csv.busy ? "Making …" : "CSV"}
            </Button>
          </span>
          <Button tone="act" onClick={() => void go(`/studies/${study.id}/report?map=${map.id}`)}>
            Make files
          </Button>
        </div>
      }
    />
  );
}
