import { seriesRoutes } from "@hindglance/contract/compare";
import { call } from "../api/call";
import { useEffect, useMemo, useState } from "react";
import { useOutletContext } from "react-router";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
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
import { Copy } from "lucide-react";
import { sayError } from "../api/client";
import { useRuns, useScenes, useSides, useZones } from "../api/hooks";
import type { Scene, Side, Study } from "../api/types";
import { type SceneKind, pairKinds } from "../compare/pair";
import { Section, Workspace } from "../frame/Frame";
import { TimeStrip } from "../frame/TimeStrip";
import { day, dayYear, km2, number } from "../lib/format";
import { outlineLayer } from "../map/areaLayer";
import { beyondLayer, greyLayer, rampLayer, sourceOf, viewOf } from "../map/layers";
import { MapPane } from "../map/MapPane";
import { NodeCells } from "../map/nodeCells";
import { rampById, rampFor } from "../map/ramps";
import { stretchesOf } from "../map/look";
import { usePins, useValues } from "../pins/pins";
import { useFields } from "../prepare/useFields";
import { useUi } from "../state/ui";
import { Bar, Button, Choice, Chip, Pick, Problem, Warning, cx, inputStyle } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { CountOf } from "./CountOf";
import {
  type Series,
  type SeriesAsk,
  type SeriesDate,
  bandsOfKind,
  seriesText,
  usualCount,
  waterOf,
  whole,
} from "./series";

const KIND: Record<SceneKind, string> = { radar: "Radar", optical: "Optical", other: "Other" };
const LINES = [
  "#1f6658",
  "#8a5a9e",
  "#a9760b",
  "#3b7f9b",
  "#7a6a4f",
  "#b85c8e",
  "#5b6866",
  "#c2503f",
];

/**
 * Every date by itself: how much of the ground is water, burned or green, plotted over the series.
 */
export function SeriesPage() {
  const study = useOutletContext<Study>();
  const scenes = useScenes(study.id).data;
  const sides = useSides(study.id).data;
  if (!scenes || !sides) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  const able = scenes.filter(
    (scene) => scene.acquiredAt && sides.some((side) => side.sceneId === scene.id && side.node),
  );
  const kinds = pairKinds(able);
  if (kinds.length === 0) {
    return (
      <Workspace
        label="Tally"
        strip={<TimeStrip study={study} scenes={scenes} beforeId={null} afterId={null} />}
        picture={
          <div className="flex h-full items-center justify-center text-center text-[#c9d0cd]">
            <div className="w-[360px]">
              <p className="mb-3 text-[15px] text-white">Two dates are needed</p>
              <p>Add scenes of several dates, and prepare them; each is counted by itself here.</p>
            </div>
          </div>
        }
        desk={
          <Section title="Tally">
            <CountOf />
          </Section>
        }
      />
    );
  }
  return <SeriesOf study={study} scenes={scenes} sides={sides} kinds={kinds} />;
}

function SeriesOf({
  study,
  scenes,
  sides,
  kinds,
}: {
  study: Study;
  scenes: Scene[];
  sides: Side[];
  kinds: SceneKind[];
}) {
  const zones = useZones(study.id).data ?? [];
  const [kind, setKind] = useState(kinds[0]!);
  const bands = useMemo(() => bandsOfKind(kind, scenes, sides), [kind, scenes, sides]);
  const start = (keys: typeof bands) => {
    let wanted: RegExp;
    if (study.hazard === "fire") {
      wanted = /nbr/i;
    } else if (study.hazard === "flood") {
      wanted = /ndwi|^vv$/i;
    } else {
      wanted = /evi|ndvi/i;
    }
    return keys.find((key) => wanted.test(key.key)) ?? keys[0]!;
  };
  const [bandKey, setBandKey] = useState<string | null>(null);
  const band = bands.find((b) => b.key === bandKey) ?? start(bands);
  const usual = usualCount(band.key, band.power, waterOf(study));
  const [own, setOwn] = useState<Partial<typeof usual>>({});
  const count = { ...usual, ...own };
  const [inArea, setInArea] = useState(!!study.studyArea);
  const [byZone, setByZone] = useState(true);
  const speckle = study.compare?.setup?.speckle ?? {
    filter: "refinedLee" as const,
    windowCells: 7,
    looks: sides.find((side) => side.looks !== null)?.looks ?? 4.4,
  };
  const ask: SeriesAsk = {
    kind,
    band: band.key,
    op: count.op,
    value: count.value,
    speckle: { filter: speckle.filter, windowCells: speckle.windowCells, looks: speckle.looks },
    studyArea: inArea,
    zones: byZone && zones.length > 0,
  };
  const text = JSON.stringify(ask);
  const version = JSON.stringify(sides.map((side) => side.hash));
  const queryClient = useQueryClient();
  const asked = useQuery({
    queryKey: ["series", study.id, text, version, study.studyArea],
    queryFn: () => call(seriesRoutes.count, { params: { id: study.id }, body: ask }),
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const series = asked.data ?? null;
  const run = useRuns().data?.find((r) => r.id === series?.runId);
  const fresh = !asked.isPlaceholderData;
  useEffect(() => {
    if (run?.state === "done" && fresh) {
      void queryClient.invalidateQueries({ queryKey: ["series", study.id] });
    }
  }, [run?.state, fresh, queryClient, study.id]);
  const [pickedId, pick] = useState<string | null>(null);
  const dates = useMemo(() => series?.dates ?? [], [series]);
  const picked =
    dates.find((date) => date.sceneId === pickedId) ??
    dates.find((date) => date.sceneId === study.compare?.afterId) ??
    dates[dates.length - 1] ??
    null;
  const counted = dates.length > 0 && dates.every((date) => date.zones !== null);
  const w = picked ? whole(picked) : null;
  const change = (k: SceneKind) => {
    setKind(k);
    setBandKey(null);
    setOwn({});
  };
  return (
    <Workspace
      label="Tally"
      strip={
        <TimeStrip
          study={study}
          scenes={scenes}
          beforeId={study.compare?.beforeId ?? null}
          afterId={study.compare?.afterId ?? null}
        />
      }
      picture={
        <div className="flex h-full flex-col gap-3 overflow-auto bg-bone p-4 text-ink">
          <div className="flex items-end justify-between gap-4">
            <div>
              <p className="text-soft">
                {study.name}, {picked ? dayYear(picked.acquiredAt) : ""}
              </p>
              <h1 className="text-figure font-bold">
                {w ? km2(w.beyondM2) : "–"} {count.name.toLowerCase()}{" "}
                <span className="text-[18px] font-normal text-soft">
                  {w && w.seenM2 > 0
                    ? `${number((100 * w.beyondM2) / w.seenM2, 1)} % of ${km2(w.seenM2)} seen`
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
          {asked.error ? (
            <Problem>{sayError(asked.error)}</Problem>
          ) : !series ? (
            <p className="py-10 text-center text-soft">Looking for dates …</p>
          ) : (
            <div className="grid min-h-0 flex-1 grid-cols-[1.25fr_1fr] gap-3">
              <div className="flex min-h-0 flex-col gap-3">
                <Plot
                  title={`Area of ${count.name.toLowerCase()}, km²`}
                  study={study}
                  dates={dates}
                  picked={picked}
                  pick={pick}
                  digits={2}
                  lines={[
                    {
                      key: "all",
                      name: "All",
                      colour: count.color,
                      of: (date) => {
                        const x = whole(date);
                        return x ? x.beyondM2 / 1e6 : null;
                      },
                    },
                    ...series.zones.map((zone, k) => ({
                      key: `z${k}`,
                      name: zone,
                      colour: LINES[k % LINES.length]!,
                      of: (date: SeriesDate) =>
                        date.zones ? date.zones[k + 1]!.beyondM2 / 1e6 : null,
                    })),
                  ]}
                  waiting={!counted}
                  zero
                />
                <Means
                  study={study}
                  s={series}
                  picked={picked}
                  pick={pick}
                  kind={kind}
                  version={version}
                />
              </div>
              <div className="on-night relative min-h-[300px] overflow-hidden rounded-card bg-night">
                {picked && (
                  <DateMap
                    study={study}
                    date={picked}
                    op={count.op}
                    value={count.value}
                    colour={count.color}
                  />
                )}
                {picked && (
                  <div className="pointer-events-none absolute left-2.5 top-2.5 rounded-field bg-night/85 px-2.5 py-1 text-label text-white">
                    <b>{dayYear(picked.acquiredAt)}</b> · {series.band}
                  </div>
                )}
              </div>
            </div>
          )}
        </div>
      }
      desk={
        <>
          <Section title="Tally">
            <CountOf />
          </Section>
          <Section
            title="What is counted"
            right={
              kinds.length > 1 ? (
                <Choice
                  label="Kind of scene"
                  className="font-sans text-[12px]"
                  value={kind}
                  onChange={change}
                  options={kinds.map((k) => ({ value: k, name: KIND[k] }))}
                />
              ) : undefined
            }
          >
            <div className="mb-2 flex items-center gap-2">
              <Pick
                label="Band"
                className="w-[96px]"
                value={band.key}
                onChange={(value) => {
                  setBandKey(value);
                  setOwn({});
                }}
                options={bands.map((b) => ({ value: b.key, name: b.key }))}
              />
              <Choice
                label="Side"
                value={count.op}
                onChange={(op) => setOwn((output) => ({ ...output, op }))}
                options={[
                  { value: "<", name: "below" },
                  { value: ">", name: "above" },
                ]}
              />
              <NumberField
                key={`${band.key}${kind}`}
                label="Value"
                decimals={band.unit === "dB" ? 1 : 2}
                step={band.unit === "dB" ? 0.1 : 0.01}
                value={count.value}
                min={-1e5}
                max={1e5}
                onCommit={(value) => setOwn((output) => ({ ...output, value }))}
              />
              <span className="text-soft">{band.unit}</span>
            </div>
            <div className="mb-2 flex items-center gap-2">
              <span className="whitespace-nowrap text-soft">is called</span>
              <input
                key={usual.name}
                aria-label="Called"
                className={`${inputStyle} h-7`}
                maxLength={40}
                defaultValue={count.name}
                onBlur={(e) => {
                  const name = e.target.value.trim();
                  if (name) {
                    setOwn((output) => ({ ...output, name }));
                  }
                }}
                onKeyDown={(e) => {
                  if (e.key === "Enter") {
                    e.currentTarget.blur();
                  }
                }}
              />
            </div>
            <div className="flex flex-wrap gap-1.5">
              {study.studyArea && (
                <Chip on={inArea} aria-pressed={inArea} onClick={() => setInArea(!inArea)}>
                  inside study area
                </Chip>
              )}
              {zones.length > 0 && (
                <Chip on={byZone} aria-pressed={byZone} onClick={() => setByZone(!byZone)}>
                  by {zones[0]!.name.toLowerCase()}
                </Chip>
              )}
            </div>
            {series && series.left.length > 0 && (
              <div className="mt-2">
                <Warning>
                  {series.left.length} {series.left.length === 1 ? "date is" : "dates are"} left
                  out:{" "}
                  {series.left
                    .slice(0, 3)
                    .map((x) => `${x.name} (${x.reason})`)
                    .join("; ")}
                  {series.left.length > 3 ? " …" : ""}.
                </Warning>
              </div>
            )}
          </Section>
          <Section title={`Dates · ${dates.length}`}>
            <table className="w-full text-[12.5px]">
              <caption className="sr-only">Area by date</caption>
              <thead>
                <tr className="text-left text-label text-soft">
                  <th scope="col" className="font-normal">
                    date
                  </th>
                  <th scope="col" className="text-right font-normal">
                    km²
                  </th>
                  <th scope="col" className="text-right font-normal">
                    % of seen
                  </th>
                  <th scope="col" className="text-right font-normal">
                    mean {series?.band}
                  </th>
                </tr>
              </thead>
              <tbody>
                {dates.map((date) => {
                  const x = whole(date);
                  return (
                    <tr
                      key={date.sceneId}
                      className={cx("border-t border-line", date === picked && "bg-[#e2ece7]")}
                    >
                      <th scope="row" className="text-left font-medium">
                        <button
                          type="button"
                          aria-pressed={date === picked}
                          className="hover:underline"
                          onClick={() => pick(date.sceneId)}
                        >
                          {dayYear(date.acquiredAt)}
                        </button>
                      </th>
                      <td className="text-right font-mono">
                        {x ? number(x.beyondM2 / 1e6, 2) : "…"}
                      </td>
                      <td className="text-right font-mono text-soft">
                        {x && x.seenM2 > 0 ? number((100 * x.beyondM2) / x.seenM2, 1) : "–"}
                      </td>
                      <td className="text-right font-mono text-soft">
                        {date.mean === null ? "–" : number(date.mean, band.unit === "dB" ? 1 : 3)}
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
          </Section>
        </>
      }
      footer={
        <div className="flex items-center justify-between gap-2">
          <Button
            disabled={!counted}
            onClick={() => {
              if (series) {
                void navigator.clipboard.writeText(seriesText(series)).then(
                  () => useUi.getState().say("The table is on the clipboard."),
                  () =>
                    useUi
                      .getState()
                      .say("The browser does not let the page write to the clipboard.", "wrong"),
                );
              }
            }}
          >
            <Copy size={14} aria-hidden />
            Copy table
          </Button>
          <span className="text-label text-soft">
            Areas on the WGS 84 ellipsoid; {band.unit === "dB" ? "means of power" : "plain means"}.
          </span>
        </div>
      }
    />
  );
}

interface PlotLine {
  key: string;
  name: string;
  colour: string;
  dashed?: boolean;
  of(date: SeriesDate): number | null;
}
/** Lines over the dates; a click picks the date under it. Names above switch lines off and on. */
function Plot({
  title,
  study,
  dates,
  picked,
  pick,
  lines,
  digits,
  waiting,
  zero,
}: {
  title: string;
  study: Study;
  dates: SeriesDate[];
  picked: SeriesDate | null;
  pick(id: string): void;
  lines: PlotLine[];
  digits: number;
  waiting: boolean;
  /** The axis begins at nought, as areas should. */ zero?: boolean;
}) {
  const [off, setOff] = useState<ReadonlySet<string>>(new Set());
  const rows = dates.map((date) => ({
    t: Date.parse(date.acquiredAt),
    ...Object.fromEntries(lines.map((line) => [line.key, line.of(date)])),
  }));
  const event = study.eventAt ? Date.parse(study.eventAt) : null;
  const long =
    dates.length > 1 &&
    Date.parse(dates[dates.length - 1]!.acquiredAt) - Date.parse(dates[0]!.acquiredAt) >
      300 * 864e5;
  return (
    <div className="flex min-h-[190px] flex-1 flex-col rounded-card border border-line bg-paper px-3 py-2">
      <div className="mb-1 flex flex-wrap items-center gap-x-2.5 gap-y-0.5">
        <h2 className="mr-1 text-label text-soft">{title}</h2>
        {lines.length > 1 &&
          lines.map((line) => (
            <button
              key={line.key}
              type="button"
              aria-pressed={!off.has(line.key)}
              onClick={() => {
                const n = new Set(off);
                if (n.has(line.key)) {
                  n.delete(line.key);
                } else {
                  n.add(line.key);
                }
                setOff(n);
              }}
              className={cx(
                "flex items-center gap-1 text-label",
                off.has(line.key) ? "text-soft line-through" : "text-ink",
              )}
            >
              <span
                className="h-[3px] w-3 rounded"
                style={{ background: off.has(line.key) ? "#d8d3c6" : line.colour }}
                aria-hidden
              />
              {line.name}
            </button>
          ))}
      </div>
      {waiting ? (
        <p className="m-auto text-soft">Measuring …</p>
      ) : (
        <div
          className="min-h-0 flex-1"
          role="img"
          aria-label={`${title}: ${dates
            .map((date) => {
              const value = lines[0]!.of(date);
              return `${day(date.acquiredAt)} ${value === null ? "none" : number(value, digits)}`;
            })
            .join(", ")}`}
        >
          <ResponsiveContainer width="100%" height="100%">
            <LineChart
              data={rows}
              margin={{ top: 4, right: 10, bottom: 0, left: -8 }}
              onClick={(mouseHandlerDataParam) => {
                const k = Number(
                  (mouseHandlerDataParam as { activeTooltipIndex?: number | string | null })
                    .activeTooltipIndex,
                );
                if (dates[k]) {
                  pick(dates[k].sceneId);
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
                ticks={long ? undefined : rows.map((row) => row.t)}
                tickFormatter={(t: number) => {
                  const iso = new Date(t).toISOString();
                  return long ? iso.slice(0, 7) : day(iso).replace(/^(\d+ \w{3})\w*$/, "$1");
                }}
                tick={{ fontSize: 11 }}
                minTickGap={22}
              />
              <YAxis
                tick={{ fontSize: 11 }}
                width={54}
                domain={[zero ? 0 : "auto", "auto"]}
                tickFormatter={(value: number) =>
                  number(value, digits > 2 ? 2 : Math.abs(value) >= 20 ? 0 : 1)
                }
              />
              <Tooltip
                isAnimationActive={false}
                labelFormatter={(reactNode) => dayYear(new Date(Number(reactNode)).toISOString())}
                formatter={(value, k) => [
                  number(Number(value), digits),
                  lines.find((line) => line.key === k)?.name ?? "",
                ]}
                contentStyle={{ fontSize: 12, borderRadius: 8, borderColor: "#d8d3c6" }}
              />
              {event !== null && (
                <ReferenceLine
                  x={event}
                  stroke="#1d2a2b"
                  strokeDasharray="3 3"
                  ifOverflow="hidden"
                />
              )}
              {picked && (
                <ReferenceLine
                  x={Date.parse(picked.acquiredAt)}
                  stroke="#b9562b"
                  strokeWidth={1.5}
                  ifOverflow="hidden"
                />
              )}
              {lines
                .filter((line) => !off.has(line.key))
                .map((line) => (
                  <Line
                    key={line.key}
                    dataKey={line.key}
                    stroke={line.colour}
                    strokeWidth={line.key === "all" ? 2.4 : 1.4}
                    strokeDasharray={line.dashed ? "5 3" : undefined}
                    dot={
                      dates.length > 20 && line.key !== "all"
                        ? false
                        : { r: line.key === "all" ? 3 : 2 }
                    }
                    connectNulls
                    isAnimationActive={false}
                  />
                ))}
            </LineChart>
          </ResponsiveContainer>
        </div>
      )}
    </div>
  );
}

/** Mean of the band over time: of all that is seen, of each zone, and at each pin. */
function Means({
  study,
  s: series,
  picked,
  pick,
  kind,
  version,
}: {
  study: Study;
  s: Series;
  picked: SeriesDate | null;
  pick(id: string): void;
  kind: SceneKind;
  version: string;
}) {
  const found = usePins(study.id).data;
  const pins = found ?? [];
  const places = useMemo(
    () => (found ?? []).map((pin): [number, number] => [pin.lon, pin.lat]),
    [found],
  );
  const values = useValues(study.id, places, 3, version).data;
  const at = (k: number) => {
    const by = new Map(
      (values?.scenes ?? [])
        .filter((scene) => scene.kind === kind)
        .map((scene) => {
          const b = scene.bands.findIndex((band) => band.key === series.band);
          return [scene.sceneId, b < 0 ? null : (scene.values[k]?.[b] ?? null)] as const;
        }),
    );
    return (date: SeriesDate) => by.get(date.sceneId) ?? null;
  };
  return (
    <Plot
      title={`Mean ${series.band}${series.unit ? `, ${series.unit}` : ""}; pins dashed`}
      study={study}
      dates={series.dates}
      picked={picked}
      pick={pick}
      digits={series.unit === "dB" ? 1 : 3}
      waiting={!series.dates.some((date) => date.zones !== null)}
      lines={[
        { key: "all", name: "All", colour: "#1d2a2b", of: (date) => date.mean },
        ...series.zones.map((zone, k) => ({
          key: `z${k}`,
          name: zone,
          colour: LINES[k % LINES.length]!,
          of: (date: SeriesDate) => date.zones?.[k + 1]?.mean ?? null,
        })),
        ...pins.map((pin, k) => ({
          key: `p${pin.id}`,
          name: pin.name,
          colour: LINES[(k + 5) % LINES.length]!,
          dashed: true,
          of: at(k),
        })),
      ]}
    />
  );
}

/** One date with what is counted on it. */
function DateMap({
  study,
  date,
  op,
  value,
  colour,
}: {
  study: Study;
  date: SeriesDate;
  op: SeriesAsk["op"];
  value: number;
  colour: string;
}) {
  const { node } = date;
  const band = node.info.bands[0]!;
  const one = useMemo(() => [0], []);
  const fields = useFields(node.hash, null, one);
  const stretch = stretchesOf(fields)?.[0] ?? null;
  const key = JSON.stringify(stretch);
  const gridKey = JSON.stringify(node.info.grid);
  const ramp = rampFor(band);
  const area = useMemo(
    () =>
      study.studyArea
        ? outlineLayer([study.studyArea], (JSON.parse(gridKey) as typeof node.info.grid).crs)
        : null,
    [study.studyArea, gridKey, node],
  );
  const view = useMemo(
    () => viewOf(JSON.parse(gridKey) as typeof node.info.grid, null, study.studyArea),
    [gridKey, study.studyArea, node],
  );
  const layers = useMemo(() => {
    const source = sourceOf(new NodeCells(node));
    const s = JSON.parse(key) as { lo: number; hi: number } | null;
    return [
      ...(s ? [ramp === "grey" ? greyLayer(source, s) : rampLayer(source, s, rampById(ramp))] : []),
      beyondLayer(source, op, value, colour),
      ...(area ? [area] : []),
    ];
  }, [node, key, ramp, op, value, colour, area]);
  return (
    <MapPane
      view={view}
      layers={layers}
      label={`The date ${dayYear(date.acquiredAt)} with what is counted`}
      scale
    />
  );
}
