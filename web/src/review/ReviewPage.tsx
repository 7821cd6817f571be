import { compareRoutes } from "@hindglance/contract/compare";
import { call } from "../api/call";
import { type ReactNode, useMemo, useState } from "react";
import { useNavigate, useOutletContext } from "react-router";
import { useQuery } from "@tanstack/react-query";
import { mergeHistograms, quantile } from "@hindglance/core/raster/histogram";

import { api, sayError } from "../api/client";
import { useScenes, useSides } from "../api/hooks";
import type { ChangeMap, PatchRow, Scene, Study } from "../api/types";
import { CompareMaps } from "../compare/CompareMaps";
import { changeEnd, measureName } from "../compare/measures";
import { DECIBEL, plainUnit, unitOf, withMeasure, withUnit } from "../compare/units";
import { Section, Workspace } from "../frame/Frame";
import { TimeStrip } from "../frame/TimeStrip";
import { degrees, km2, number } from "../lib/format";
import { ChangeMapPicker, usePickedMap } from "../tally/ChangeMapPicker";
import { ClassMap } from "../tally/ClassMap";
import { Button, Chip, Pop, Warning } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { PatchTable } from "./PatchTable";
import { ALL_PATCHES, type PatchAsk, askText, useOutlines, usePatchCount } from "./patches";
import { comparingOf } from "@hindglance/core/change/comparing";

/** Review: the patches of a change map, looked at one by one. */
export function ReviewPage() {
  const study = useOutletContext<Study>();
  const go = useNavigate();
  const { maps, map, pick } = usePickedMap(study.id);
  const scenes = useScenes(study.id).data;
  if (!maps || !scenes) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  const by = (r: "before" | "after") =>
    scenes.find((scene) => scene.id === map?.provenance.scenes?.[`${r}Id`]) ??
    scenes.find((scene) => scene.fileSha256 === map?.provenance[r].sha256) ??
    null;
  const strip = (
    <TimeStrip
      study={study}
      scenes={scenes}
      beforeId={by("before")?.id ?? null}
      afterId={by("after")?.id ?? null}
    />
  );
  if (!map) {
    return (
      <Workspace
        label="Review"
        strip={strip}
        picture={
          <div className="flex h-full items-center justify-center text-center text-[#c9d0cd]">
            <div className="w-[360px]">
              <p className="mb-3 text-[15px] text-white">Nothing to review yet</p>
              <p className="mb-4">
                Write a change map in Compare; its patches are listed here, to be looked at one by
                one.
              </p>
              <Button onClick={() => void go(`/studies/${study.id}/compare`)}>Go to Compare</Button>
            </div>
          </div>
        }
        desk={
          <Section title="Review">
            <p className="text-soft">Patches of the change map appear here.</p>
          </Section>
        }
      />
    );
  }
  return (
    <Review
      key={map.id}
      study={study}
      map={map}
      maps={maps}
      pickMap={pick}
      before={by("before")}
      after={by("after")}
      strip={strip}
    />
  );
}

/** Both dates as they are compared now, for a map that was written from them. */
function useDates(study: Study, map: ChangeMap, before: Scene | null, after: Scene | null) {
  const sides = useSides(study.id).data;
  const side = sides?.find((x) => x.sceneId === before?.id);
  const ready =
    !!before &&
    !!after &&
    [before, after].every((scene) => sides?.some((x) => x.sceneId === scene.id && x.node));
  const body = ready ? { beforeId: before.id, afterId: after.id, setup: map.setup } : null;
  const nodes = useQuery({
    queryKey: ["reviewNodes", map.id, sides?.map((x) => x.hash)],
    queryFn: () => call(compareRoutes.nodes, { params: { id: study.id }, body: body! }),
    enabled: !!body,
    staleTime: Infinity,
    retry: false,
  });
  const answer = useQuery({
    queryKey: ["reviewHistograms", map.id, sides?.map((x) => x.hash)],
    queryFn: () => call(compareRoutes.histograms, { params: { id: study.id }, body: body! }),
    enabled: !!body,
    staleTime: Infinity,
    retry: false,
  });
  return {
    nodes: nodes.data ?? null,
    h: answer.data ?? null,
    error: nodes.error ?? answer.error,
    gone: !!sides && !ready,
    side: side ?? null,
    moved: !!nodes.data && nodes.data.classes.hash !== map.nodeHash,
  };
}

function Review({
  study,
  map,
  maps,
  pickMap,
  before,
  after,
  strip,
}: {
  study: Study;
  map: ChangeMap;
  maps: ChangeMap[];
  pickMap(id: string): void;
  before: Scene | null;
  after: Scene | null;
  strip: ReactNode;
}) {
  const [ask, setAsk] = useState<PatchAsk>(ALL_PATCHES);
  const [picked, setPicked] = useState<PatchRow | null>(null);
  const [place, setPlace] = useState<number | null>(null);
  const dates = useDates(study, map, before, after);
  const outlines = useOutlines(map, ask, picked?.number ?? null);
  const { show, at } = outlines;
  const band = dates.side?.info?.bands[map.setup.band];
  const value = map.provenance.unit !== "dB" || (!!band && comparingOf(band) === "value");
  const unit = withMeasure(
    value ? plainUnit(map.provenance.unit ?? "") : DECIBEL,
    map.setup.measure,
  );
  const measured = unitOf("measure", unit);
  const name = measureName(map.setup.measure, map.provenance.before.band ?? "", value);
  const pick = (patch: PatchRow, k: number | null, look: boolean) => {
    setPicked(patch);
    setPlace(k);
    if (look) {
      show(patch);
    }
  };
  const onMap = (point: [number, number]) => {
    const hit = at(point);
    if (!hit) {
      return;
    }
    pick(hit, null, false);
    void api<{ place: number | null }>(
      "GET",
      `/change-maps/${map.id}/place?${askText(ask)}&number=${hit.number}`,
    ).then(
      (r) => setPlace(r.place),
      () => {},
    );
  };
  const stretch = useMemo(() => {
    const histogram = dates.h ? mergeHistograms(dates.h.before, dates.h.after) : null;
    const lo = histogram ? quantile(histogram, 0.01) : NaN;
    const hi = histogram ? quantile(histogram, 0.995) : NaN;
    return Number.isFinite(lo)
      ? { lo, hi: Math.max(lo + 1e-3, hi) }
      : { lo: value ? 0 : -24, hi: value ? 1 : -2 };
  }, [dates.h, value]);
  const classes = map.info.classes!;
  const labels = ask.labels ?? classes.map((classInfo) => classInfo.label);
  const toggle = (level: number) =>
    setAsk((patchAsk) => {
      const next = labels.includes(level) ? labels.filter((x) => x !== level) : [...labels, level];
      return {
        ...patchAsk,
        labels: next.length === 0 || next.length === classes.length ? null : next,
      };
    });
  const filtered =
    ask.leastM2 !== null ||
    ask.mostM2 !== null ||
    ask.measureFrom !== null ||
    ask.measureTo !== null ||
    ask.elevationFrom !== null ||
    ask.elevationTo !== null;
  const picture = dates.nodes && before && after;
  return (
    <Workspace
      label="Review"
      strip={strip}
      picture={
        picture ? (
          <CompareMaps
            extra={outlines.extra}
            onMap={outlines.setOl}
            onClick={onMap}
            bandName={map.provenance.before.band ?? ""}
            unit={unit}
            study={study}
            before={before}
            after={after}
            nodes={dates.nodes!}
            setup={map.setup}
            stretch={stretch}
            classesReady
            measureName={name}
            groups={map.setup.groups ? { hidden: NONE, show: "classes" } : null}
            changeEnd={changeEnd(dates.h)}
          />
        ) : dates.gone || dates.error ? (
          <ClassMap
            map={map}
            study={study}
            only={null}
            extra={outlines.extra}
            onMap={outlines.setOl}
            onClick={onMap}
          />
        ) : (
          <p className="p-6 text-[#c9d0cd]">Loading the map …</p>
        )
      }
      desk={
        <div className="flex h-full min-h-0 flex-col">
          <Section title="Change map" className="py-2.5">
            <ChangeMapPicker maps={maps} map={map} pick={pickMap} />
            {(dates.gone || dates.error) && (
              <div className="mt-2">
                <Warning>
                  {dates.gone
                    ? "A date of this map is not in the study any more, or is not prepared"
                    : sayError(dates.error)}
                  : the map is shown without its pictures.
                </Warning>
              </div>
            )}
            {dates.moved && (
              <div className="mt-2">
                <Warning>
                  The dates were prepared or moved anew since this map was written: the pictures,
                  and the classes on them, are those of today. The list holds the patches of the
                  map.
                </Warning>
              </div>
            )}
          </Section>
          <section aria-label="Which patches" className="border-b border-line px-4 py-2">
            <div className="flex flex-wrap items-center gap-1.5">
              {classes.map((classInfo) => (
                <Chip
                  key={classInfo.label}
                  on={labels.includes(classInfo.label)}
                  aria-pressed={labels.includes(classInfo.label)}
                  onClick={() => toggle(classInfo.label)}
                >
                  <span
                    className="h-2.5 w-2.5 rounded-[3px]"
                    style={{ background: classInfo.color }}
                    aria-hidden
                  />
                  {classInfo.name}
                </Chip>
              ))}
              <Pop
                label="Filter"
                width={300}
                trigger={
                  <Chip className="border-dashed text-spruce" on={filtered}>
                    {filtered ? "filtered" : "filter"}
                  </Chip>
                }
              >
                <Range
                  label="Area, ha"
                  decimals={2}
                  from={ask.leastM2 === null ? null : ask.leastM2 / 1e4}
                  to={ask.mostM2 === null ? null : ask.mostM2 / 1e4}
                  set={(fraction, t) =>
                    setAsk((patchAsk) => ({
                      ...patchAsk,
                      leastM2: fraction === null ? null : fraction * 1e4,
                      mostM2: t === null ? null : t * 1e4,
                    }))
                  }
                />
                <Range
                  label={`Change${measured.unit ? `, ${measured.unit}` : ""}`}
                  decimals={measured.decimals}
                  from={ask.measureFrom}
                  to={ask.measureTo}
                  set={(measureFrom, measureTo) =>
                    setAsk((patchAsk) => ({ ...patchAsk, measureFrom, measureTo }))
                  }
                />
                {map.provenance.elevation && (
                  <Range
                    label="Elevation, m"
                    decimals={0}
                    from={ask.elevationFrom}
                    to={ask.elevationTo}
                    set={(elevationFrom, elevationTo) =>
                      setAsk((patchAsk) => ({ ...patchAsk, elevationFrom, elevationTo }))
                    }
                  />
                )}
                <div className="mt-2 flex justify-end">
                  <Button
                    disabled={!filtered}
                    onClick={() =>
                      setAsk((patchAsk) => ({
                        ...ALL_PATCHES,
                        labels: patchAsk.labels,
                        sort: patchAsk.sort,
                        down: patchAsk.down,
                      }))
                    }
                  >
                    All patches
                  </Button>
                </div>
              </Pop>
            </div>
          </section>
          <Count map={map} ask={ask} />
          <PatchTable
            map={map}
            ask={ask}
            setAsk={(apply) => {
              setAsk(apply);
              setPlace(null);
            }}
            unit={measured}
            picked={picked}
            place={place}
            pick={(patch, k) => pick(patch, k, true)}
          />
        </div>
      }
      footer={
        picked ? (
          <div data-testid="picked">
            <div className="flex items-baseline justify-between">
              <span className="text-[15px]">
                <b>{number(picked.areaM2 / 1e4, 2)} ha</b>{" "}
                {classes.find((classInfo) => classInfo.label === picked.label)?.name.toLowerCase()}
              </span>
              <span className="text-label text-soft">
                patch {number(picked.number)} of {number(map.patchCount)}
              </span>
            </div>
            <div className="text-label text-soft">
              {number(picked.cells)} {picked.cells === 1 ? "cell" : "cells"} · outline{" "}
              {picked.perimeterM === null ? "–" : `${number(picked.perimeterM / 1000, 2)} km`} ·
              change{" "}
              {picked.measure === null
                ? "–"
                : withUnit(number(picked.measure, measured.decimals, true), measured)}
              {picked.elevation !== null ? ` · ${number(picked.elevation)} m` : ""} ·{" "}
              {degrees((picked.west + picked.east) / 2, (picked.south + picked.north) / 2)}
            </div>
          </div>
        ) : (
          <p className="text-soft">
            Pick a patch in the list or on the map; J and K go through them.
          </p>
        )
      }
    />
  );
}
const NONE: ReadonlySet<number> = new Set();

/** How many patches are listed, and how much area they are. */
function Count({ map, ask }: { map: ChangeMap; ask: PatchAsk }) {
  const answer = usePatchCount(map, ask);
  return (
    <p className="px-4 py-1.5 text-label text-soft" role="status">
      {answer.error ? (
        sayError(answer.error)
      ) : answer.data ? (
        <>
          <b className="font-semibold text-ink">{number(answer.data.count)}</b>{" "}
          {answer.data.count === 1 ? "patch" : "patches"}
          {answer.data.count !== map.patchCount ? ` of ${number(map.patchCount)}` : ""},{" "}
          {km2(answer.data.areaM2)}
        </>
      ) : (
        "Counting …"
      )}
    </p>
  );
}

function Range({
  label,
  decimals,
  from,
  to,
  set,
}: {
  label: string;
  decimals: number;
  from: number | null;
  to: number | null;
  set(from: number | null, to: number | null): void;
}) {
  const end = (value: number | null, what: string, put: (eachValue: number | null) => void) =>
    value === null ? (
      <Button className="h-7" onClick={() => put(0)}>
        {what}
      </Button>
    ) : (
      <span className="flex items-center gap-1">
        <span className="text-soft">{what}</span>
        <NumberField
          label={`${label} ${what}`}
          decimals={decimals}
          step={10 ** -decimals}
          value={value}
          onCommit={put}
        />
        <button
          type="button"
          aria-label={`${label} ${what}: no end`}
          className="text-soft"
          onClick={() => put(null)}
        >
          ×
        </button>
      </span>
    );
  return (
    <div className="mb-1.5 flex items-center justify-between gap-2">
      <span>{label}</span>
      <span className="flex items-center gap-1.5">
        {end(from, "from", (value) => set(value, to))}
        {end(to, "to", (value) => set(from, value))}
      </span>
    </div>
  );
}
