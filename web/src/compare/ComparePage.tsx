import { useEffect, useMemo, useRef, useState } from "react";
import { useNavigate, useOutletContext } from "react-router";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import {
  emptyHistogram,
  histogramTotal,
  mergeHistograms,
  quantile,
} from "@hindglance/core/raster/histogram";
import { nameInFormula } from "@hindglance/core/graph/steps/multi";
import { likeBands } from "@hindglance/core/change/build";
import {
  BY_HISTOGRAM,
  PRESETS,
  type Preset,
  gainLossRules,
  greennessRules,
  initialRules,
  openWaterRules,
  rulesOfMeasure,
  severityRules,
} from "@hindglance/core/change/defaults";
import {
  type Grouping,
  type Measure,
  comparingOf,
  measureUnit,
  measuresOf,
} from "@hindglance/core/change/setup";
import type { Layer } from "@hindglance/core/change/rules";
import { cellAreas } from "@hindglance/core/grid/area";
import { Undo2 } from "lucide-react";
import { api, sayError } from "../api/client";
import { keys, useRuns, useScenes } from "../api/hooks";
import type { SavedPreset, Scene, Study } from "../api/types";
import { Section, Workspace } from "../frame/Frame";
import { TimeStrip } from "../frame/TimeStrip";
import { km2, number } from "../lib/format";
import { useUi } from "../state/ui";
import { Bar, Button, Choice, Problem, Warning } from "../ui/controls";
import { ClassList } from "./ClassList";
import { CompareMaps } from "./CompareMaps";
import { HistogramControl } from "./HistogramControl";
import { GroupDesk, firstGrouping } from "./GroupDesk";
import { LimitList, limitCount } from "./LimitList";
import { MeasureDesk } from "./MeasureDesk";
import { PresetMenu } from "./PresetMenu";
import { changeEnd, measureName } from "./measures";
import { useCompare } from "./state";
import { moveThreshold } from "./thresholds";
import { DECIBEL, plainUnit, unitOf, withMeasure } from "./units";
import { type SceneKind, comparableScenes } from "./pair";
import { rulesFrom, startOf, useComparison } from "./useComparison";

export function ComparePage() {
  const study = useOutletContext<Study>();
  const scenes = useScenes(study.id).data;
  if (!scenes) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  return <Compare study={study} scenes={scenes} />;
}

/** Measures whose thresholds are of their own kind, whatever their unit. */
const OWN_RULES: readonly Measure[] = [
  "relativeChange",
  "decibelQuotient",
  "changeVector",
  "changeDirection",
  "noChange",
  "formula",
];
const KIND: Record<SceneKind, string> = { radar: "Radar", optical: "Optical", other: "Other" };

function Compare({ study, scenes }: { study: Study; scenes: Scene[] }) {
  const go = useNavigate();
  const q = useQueryClient();
  const c = useComparison(study, scenes);
  const { change, drag, drop, undo, redo } = useCompare.getState();
  const past = useCompare((s) => s.past.length);
  const [layer, setLayer] = useState<Layer>("measure");
  const runs = useRuns().data ?? [];
  const writing = runs.find(
    (r) => r.kind === "writeChangeMap" && r.studyId === study.id && r.state === "running",
  );
  const [written, setWritten] = useState<string | null>(null);
  const write = useMutation({
    mutationFn: () =>
      api<{ runId: string }>("POST", `/studies/${study.id}/change-maps`, {
        ...c.pairIds,
        setup: c.setup,
      }),
    onSuccess: (r) => {
      setWritten(r.runId);
      void q.invalidateQueries({ queryKey: keys.runs });
    },
    onError: (e) => useUi.getState().say(sayError(e), "wrong"),
  });
  const done = runs.find((r) => r.id === written);
  useEffect(() => {
    if (!done || done.state === "running") {
      return;
    }
    setWritten(null);
    if (done.state === "done") {
      useUi.getState().say("The change map is written.");
      void q
        .invalidateQueries({ queryKey: keys.maps(study.id) })
        .then(() => go(`/studies/${study.id}/tally?map=${done.result?.changeMapId ?? ""}`));
    } else if (done.error) {
      useUi.getState().say(`${done.error.message}. ${done.error.hint ?? ""}`, "wrong");
    }
  }, [done, go, q, study.id]);

  const pairs = useMemo(() => comparableScenes(c.able, c.kind), [c.able, c.kind]);
  const { setPair, pairIds } = c;
  const [hidden, setHidden] = useState<ReadonlySet<number>>(new Set());
  const [show, setShow] = useState<"groups" | "classes">("groups");
  const [tab, setTab] = useState<"classes" | "limits">("classes");
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (/^(INPUT|TEXTAREA)$/.test((e.target as HTMLElement).tagName)) {
        return;
      }
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z") {
        e.preventDefault();
        if (e.shiftKey) {
          redo();
        } else {
          undo();
        }
      }
      const d = e.key === "[" ? -1 : e.key === "]" ? 1 : 0;
      if (d && pairIds) {
        const k = pairs.findIndex((s) => s.id === pairIds.afterId);
        const n = pairs[k + d];
        const b = pairs.find((s) => s.id === pairIds.beforeId);
        if (n && b && n.acquiredAt! > b.acquiredAt!) {
          setPair(b.id, n.id);
        }
      }
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [undo, redo, pairs, pairIds, setPair]);

  const lastGroups = useRef<Grouping | null>(null);
  const awaits = useRef<Measure | null>(null);
  const counted = c.histograms.data && !c.histograms.isPlaceholderData ? c.histograms.data : null;
  useEffect(() => {
    const m = awaits.current;
    if (!m || !counted || c.setup?.measure !== m || c.histogramsOf !== m) {
      return;
    }
    awaits.current = null;
    const { side } = c;
    change((s) => ({
      ...s,
      rules: rulesOfMeasure(m, counted.measure) ?? rulesFrom(s, side, counted),
    }));
  }, [counted, c, change]);

  const h = c.histograms.data;
  const nodes = c.nodes.data;
  const setup = c.setup;
  const band = setup ? c.bands[setup.band] : undefined;
  const value = !!band && comparingOf(band) === "value";
  const unit = withMeasure(value ? plainUnit(band.unit) : DECIBEL, setup?.measure ?? "logRatio");
  const ends = h
    ? [
        quantile(mergeHistograms(h.before, h.after), 0.01),
        quantile(mergeHistograms(h.before, h.after), 0.995),
      ].map((v) => (value ? v : Math.round(v)))
    : null;
  const lo = ends && Number.isFinite(ends[0]) ? ends[0]! : -24;
  const hi = ends && Number.isFinite(ends[1]) ? ends[1]! : -2;
  const stretch = useMemo(
    () => ({ lo, hi: Math.max(lo + (value ? 1e-3 : 1), hi) }),
    [lo, hi, value],
  );
  const strip = (
    <TimeStrip
      study={study}
      scenes={scenes}
      pairable={pairs}
      beforeId={pairIds?.beforeId ?? null}
      afterId={pairIds?.afterId ?? null}
      onPair={setPair}
    />
  );
  const grid = nodes?.gated.info.grid;
  const cellM2 = useMemo(
    () => (grid ? cellAreas(grid).cell(grid.width >> 1, grid.height >> 1) : 400),
    [grid],
  );

  if (!c.pair) {
    return (
      <Workspace
        label="Compare"
        strip={strip}
        picture={
          <div className="flex h-full items-center justify-center text-center text-[#c9d0cd]">
            <div className="w-[380px]">
              <p className="mb-3 text-[15px] text-white">Two dates are needed</p>
              <p className="mb-4">
                {pairs.length === 0
                  ? "Add a scene from before the event and one from after."
                  : "One scene is there; add the other side of the event."}
              </p>
              <Button onClick={() => void go(`/studies/${study.id}/scenes`)}>Go to Scenes</Button>
            </div>
          </div>
        }
        desk={
          <Section title="Compare">
            <p className="text-soft">
              Measure, thresholds and classes appear here once both dates are there.
            </p>
          </Section>
        }
      />
    );
  }
  const { before, after } = c.pair;
  // Exact areas when the server has them for these very settings, else what the worker measured.
  const exact = !c.dragging && c.exact.areas !== null && !c.problem;
  const areas = c.problem ? null : exact ? c.exact.areas : c.live.areas;
  const main = setup?.groups ? setup.groups.classes[0] : setup?.rules[0];
  const mainM2 = (main && areas?.byLabel[main.label]?.areaM2) ?? 0;
  const measure = setup?.measure ?? "logRatio";
  const name = measureName(measure, band?.name ?? "", value);
  const reset = () => {
    if (h && setup && c.side?.info) {
      const start = startOf(c.side, study, !!c.elevation);
      const at = value ? start : { ...start, band: setup.band };
      change(() => ({ ...at, rules: rulesFrom(at, c.side, h) }));
    }
  };
  /**
   * Thresholds of a measure say nothing in the unit of another, nor does its histogram: the usual
   * ones are the start, those of its own histogram follow once it is counted.
   */
  const pickMeasure = (m: Measure) => {
    const keep =
      measureUnit(m, "") === measureUnit(measure, "") &&
      !OWN_RULES.includes(m) &&
      !OWN_RULES.includes(measure);
    const fixed = rulesOfMeasure(m);
    if (!keep && (!fixed || BY_HISTOGRAM.includes(m))) {
      awaits.current = m;
    }
    change((s) => ({
      ...s,
      measure: m,
      ...(m === "changeDirection" && band
        ? { bands: s.bands?.length === 2 ? s.bands : likeBands(c.bands, s.band).slice(0, 2) }
        : {}),
      ...(m === "formula" && !s.formula?.trim() && band
        ? { formula: `after.${nameInFormula(band)} - before.${nameInFormula(band)}` }
        : {}),
      rules: keep
        ? s.rules
        : (fixed ??
          (h && c.side
            ? rulesFrom({ ...s, measure: m }, c.side, { ...h, measure: emptyHistogram(0, 1) })
            : s.rules)),
    }));
  };
  const pickBand = (k: number) =>
    change((s) => {
      const next = c.bands[k]!;
      const fits = measuresOf(next);
      const m =
        fits.includes(s.measure) && comparingOf(next) === comparingOf(c.bands[s.band]!)
          ? s.measure
          : fits[0]!;
      return { ...s, band: k, measure: m, bands: null };
    });
  const lossUp = measure === "indexLoss" || measure === "relativeLoss";
  const presets = PRESETS.filter((p) =>
    p.id === "water"
      ? !value
      : p.id === "severity"
        ? value && measure === "indexLoss"
        : p.id === "openWater"
          ? value && /ndwi/i.test(band?.name ?? "")
          : p.id === "greenness"
            ? value &&
              /vi$/i.test(band?.name ?? "") &&
              ["difference", "indexLoss"].includes(measure)
            : value && measure !== "noChange" && measure !== "changeDirection",
  );
  const preset = (p: Preset) =>
    change((s) => ({
      ...s,
      groups: null,
      rules:
        p.id === "water"
          ? h
            ? initialRules(h)
            : s.rules
          : p.id === "severity"
            ? severityRules()
            : p.id === "openWater"
              ? openWaterRules()
              : p.id === "greenness"
                ? greennessRules(lossUp)
                : gainLossRules(h?.measure ?? null, lossUp, band?.role === "value"),
    }));
  const takeSaved = (p: SavedPreset) =>
    change((s) => {
      const lacks = !c.elevation;
      return {
        ...s,
        measure: p.measure,
        formula: p.formula,
        groups: null,
        rules: p.rules,
        limits: {
          ...p.limits,
          studyArea: p.limits.studyArea && !!study.studyArea,
          ...(lacks ? { maxSlopeDeg: null, drainage: null, elevationM: null } : {}),
        },
      };
    });
  // What stands there anyway: as the rules tell water on a date, or a bright index.
  const dark = setup?.rules
    .flatMap((r) => r.all)
    .find((x) => x.layer === "after" || x.layer === "before");
  const standingStart = {
    op: dark ? (dark.op[0] as "<" | ">") : value ? ">" : "<",
    value: dark?.value ?? (value ? 0 : -17),
  } as const;
  const classesBy = setup && (
    <Choice
      label="Classes by"
      className="font-sans text-[12px]"
      value={setup.groups ? "groups" : "rules"}
      onChange={(v) =>
        change((s) => ({
          ...s,
          groups:
            v === "groups"
              ? (lastGroups.current ?? firstGrouping())
              : ((lastGroups.current = s.groups ?? null), null),
        }))
      }
      options={[
        { value: "rules", name: "Rules", hint: "Conditions over before, after and the measure" },
        {
          value: "groups",
          name: "Groups",
          hint: "Like cells are grouped; you say which groups are the change",
        },
      ]}
    />
  );
  const lower = setup && (
    <Choice
      label="Classes or limits"
      className="font-sans text-[12px]"
      value={tab}
      onChange={(v: "classes" | "limits") => setTab(v)}
      options={[
        { value: "classes", name: "Classes", hint: "What a cell must be to belong to a class" },
        {
          value: "limits",
          name: `Limits ${limitCount(setup.limits)}`,
          hint: "Where classes are kept and dropped, in order",
        },
      ]}
    />
  );
  const warnings = nodes?.warnings ?? [];
  return (
    <Workspace
      label="Compare"
      strip={strip}
      picture={
        nodes && setup ? (
          <CompareMaps
            bandName={band?.name ?? ""}
            unit={unit}
            study={study}
            before={before}
            after={after}
            nodes={nodes}
            setup={setup}
            stretch={stretch}
            classesReady={c.classesReady}
            measureName={name}
            groups={setup.groups ? { hidden, show } : null}
            changeEnd={changeEnd(h)}
          />
        ) : c.unready ? (
          <div className="m-auto mt-24 w-[460px]">
            <Problem>{c.unready}. See Prepare.</Problem>
          </div>
        ) : c.nodes.error ? (
          <div className="m-auto mt-24 w-[460px]">
            <Problem>{sayError(c.nodes.error)}</Problem>
          </div>
        ) : c.problem ? (
          <div className="m-auto mt-24 w-[460px]">
            <Problem>{c.problem}</Problem>
          </div>
        ) : (
          <p className="p-6 text-[#c9d0cd]">Loading the pair …</p>
        )
      }
      desk={
        setup && (
          <>
            <Section
              title="Measure"
              right={
                c.kinds.length > 1 && c.kind ? (
                  <Choice
                    label="Kind of scene"
                    className="font-sans text-[12px]"
                    value={c.kind}
                    onChange={c.setKind}
                    options={c.kinds.map((k) => ({ value: k, name: KIND[k] }))}
                  />
                ) : undefined
              }
              className="py-2.5"
            >
              <MeasureDesk
                setup={setup}
                bands={c.bands}
                pickMeasure={pickMeasure}
                pickBand={pickBand}
                change={change}
              />
              {warnings.map((w) => (
                <div key={w} className="mt-2">
                  <Warning>{w}</Warning>
                </div>
              ))}
              {c.problem && (
                <div className="mt-2">
                  <Problem>{c.problem}</Problem>
                </div>
              )}
            </Section>
            {setup.groups ? (
              <GroupDesk
                head={classesBy}
                grouping={setup.groups}
                facts={c.groups.data ?? null}
                error={c.groups.error ? sayError(c.groups.error) : null}
                seenM2={areas && areas.seenM2 > 0 ? areas.seenM2 : null}
                areas={areas?.byLabel ?? null}
                exact={exact}
                hidden={hidden}
                setHidden={setHidden}
                show={show}
                setShow={setShow}
                change={change}
                classes={tab === "classes"}
                lower={lower}
              />
            ) : (
              <>
                <Section
                  className="py-2.5"
                  title={
                    <Choice
                      label="Layer of the histogram"
                      className="font-sans text-[12px]"
                      value={layer}
                      onChange={(v) => setLayer(v)}
                      options={[
                        { value: "measure", name: "Change" },
                        { value: "before", name: "Before" },
                        { value: "after", name: "After" },
                      ]}
                    />
                  }
                  right={classesBy}
                >
                  {h && histogramTotal(h.measure) > 0 ? (
                    <HistogramControl
                      key={layer}
                      cells={h.cells}
                      sampled={h.sampled}
                      tiles={c.histograms.data?.tiles[layer as "before"] ?? null}
                      seenM2={areas && areas.seenM2 > 0 ? areas.seenM2 : null}
                      histogram={h[layer as "before"]}
                      layer={layer}
                      unit={unitOf(layer, unit)}
                      rules={setup.rules}
                      onDrag={(at, v) => drag((s) => moveThreshold(s, at, v))}
                      onDrop={drop}
                      onSet={(at, v) => change((s) => moveThreshold(s, at, v))}
                    />
                  ) : c.histograms.error ? (
                    <Problem>{sayError(c.histograms.error)}</Problem>
                  ) : h ? (
                    <Warning>No cell is seen on both dates inside the study area.</Warning>
                  ) : (
                    <p className="py-10 text-center text-soft">Counting cells …</p>
                  )}
                </Section>
                {tab === "classes" && (
                  <ClassList
                    covers={c.covers}
                    cover={c.cover}
                    head={lower}
                    unit={unit}
                    start={value ? { measure: 0.2, after: 0 } : { measure: -6, after: -17 }}
                    tools={
                      <>
                        <PresetMenu
                          onReset={h ? reset : null}
                          presets={presets}
                          onPreset={preset}
                          setup={setup}
                          comparing={value ? "value" : "power"}
                          unit={band?.unit ?? ""}
                          onSaved={takeSaved}
                        />
                        <Button
                          tone="quiet"
                          aria-label="Take back"
                          title="Take back (Ctrl Z)"
                          className="h-6 w-7 px-0"
                          disabled={past === 0}
                          onClick={undo}
                        >
                          <Undo2 size={14} className="shrink-0" aria-hidden />
                        </Button>
                      </>
                    }
                    setup={setup}
                    areas={areas?.byLabel ?? null}
                    exact={exact}
                    hasElevation={!!c.elevation}
                    change={change}
                  />
                )}
              </>
            )}
            {tab === "limits" && (
              <LimitList
                head={setup.groups ? null : lower}
                limits={setup.limits}
                cellM2={cellM2}
                hasArea={!!study.studyArea}
                hasElevation={!!c.elevation}
                hasHidden={c.has.hidden}
                hasCloud={c.has.cloud}
                byRules={!setup.groups}
                classes={setup.groups?.classes ?? setup.rules}
                others={c.able.filter(
                  (s) =>
                    s.kind === before.kind &&
                    s.acquiredAt &&
                    s.id !== before.id &&
                    s.id !== after.id,
                )}
                unit={unitOf("before", unit)}
                start={standingStart}
                found={exact ? c.exact.areas!.limits : null}
                change={change}
              />
            )}
          </>
        )
      }
      footer={
        setup && (
          <div className="flex items-center justify-between gap-3">
            <div className="min-w-0">
              <div className="truncate text-[15px]" data-testid="headline">
                <b>{areas ? km2(mainM2) : "–"}</b> {main?.name.toLowerCase()}
              </div>
              <div className="text-label text-soft">
                {areas && areas.seenM2 > 0
                  ? `${number((100 * mainM2) / areas.seenM2, 1)} % of the area seen`
                  : ""}
                {c.exact.running !== null
                  ? ` · measuring ${Math.round(c.exact.running * 100)} %`
                  : exact
                    ? " · exact"
                    : areas
                      ? " · overview"
                      : ""}
              </div>
            </div>
            {writing ? (
              <span className="w-[140px] shrink-0">
                <span className="text-label text-soft">{writing.doing}</span>
                <Bar share={writing.progress} label="Writing the change map" />
              </span>
            ) : (
              <Button
                tone="act"
                className="shrink-0"
                disabled={!nodes || !!c.problem || write.isPending}
                onClick={() => write.mutate()}
              >
                Write change map
              </Button>
            )}
          </div>
        )
      }
    />
  );
}
