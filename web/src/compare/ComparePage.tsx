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
  const queryClient = useQueryClient();
  const comparison = useComparison(study, scenes);
  const { change, drag, drop, undo, redo } = useCompare.getState();
  const past = useCompare((state) => state.past.length);
  const [layer, setLayer] = useState<Layer>("measure");
  const runs = useRuns().data ?? [];
  const writing = runs.find(
    (run) => run.kind === "writeChangeMap" && run.studyId === study.id && run.state === "running",
  );
  const [written, setWritten] = useState<string | null>(null);
  const write = useMutation({
    mutationFn: () =>
      api<{ runId: string }>("POST", `/studies/${study.id}/change-maps`, {
        ...comparison.pairIds,
        setup: comparison.setup,
      }),
    onSuccess: (r) => {
      setWritten(r.runId);
      void queryClient.invalidateQueries({ queryKey: keys.runs });
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const done = runs.find((run) => run.id === written);
  useEffect(() => {
    if (!done || done.state === "running") {
      return;
    }
    setWritten(null);
    if (done.state === "done") {
      useUi.getState().say("The change map is written.");
      void queryClient
        .invalidateQueries({ queryKey: keys.maps(study.id) })
        .then(() => go(`/studies/${study.id}/tally?map=${done.result?.changeMapId ?? ""}`));
    } else if (done.error) {
      useUi.getState().say(`${done.error.message}. ${done.error.hint ?? ""}`, "wrong");
    }
  }, [done, go, queryClient, study.id]);

  const pairs = useMemo(
    () => comparableScenes(comparison.able, comparison.kind),
    [comparison.able, comparison.kind],
  );
  const { setPair, pairIds } = comparison;
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
      let delta: 1 | 0 | -1;
      if (e.key === "[") {
        delta = -1;
      } else if (e.key === "]") {
        delta = 1;
      } else {
        delta = 0;
      }
      if (delta && pairIds) {
        const k = pairs.findIndex((pair) => pair.id === pairIds.afterId);
        const scene = pairs[k + delta];
        const pair = pairs.find((pair) => pair.id === pairIds.beforeId);
        if (scene && pair && scene.acquiredAt! > pair.acquiredAt!) {
          setPair(pair.id, scene.id);
        }
      }
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [undo, redo, pairs, pairIds, setPair]);

  const lastGroups = useRef<Grouping | null>(null);
  const awaits = useRef<Measure | null>(null);
  const counted =
    comparison.histograms.data && !comparison.histograms.isPlaceholderData
      ? comparison.histograms.data
      : null;
  useEffect(() => {
    const current = awaits.current;
    if (
      !current ||
      !counted ||
      comparison.setup?.measure !== current ||
      comparison.histogramsOf !== current
    ) {
      return;
    }
    awaits.current = null;
    const { side } = comparison;
    change((s) => ({
      ...s,
      rules: rulesOfMeasure(current, counted.measure) ?? rulesFrom(s, side, counted),
    }));
  }, [counted, comparison, change]);

  const compareHistograms = comparison.histograms.data;
  const nodes = comparison.nodes.data;
  const setup = comparison.setup;
  const band = setup ? comparison.bands[setup.band] : undefined;
  const value = !!band && comparingOf(band) === "value";
  const unit = withMeasure(value ? plainUnit(band.unit) : DECIBEL, setup?.measure ?? "logRatio");
  const ends = compareHistograms
    ? [
        quantile(mergeHistograms(compareHistograms.before, compareHistograms.after), 0.01),
        quantile(mergeHistograms(compareHistograms.before, compareHistograms.after), 0.995),
      ].map((eachValue) => (value ? eachValue : Math.round(eachValue)))
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

  if (!comparison.pair) {
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
  const { before, after } = comparison.pair;
  // Exact areas when the server has them for these very settings, else what the worker measured.
  const exact = !comparison.dragging && comparison.exact.areas !== null && !comparison.problem;
  const areas = comparison.problem ? null : exact ? comparison.exact.areas : comparison.live.areas;
  const main = setup?.groups ? setup.groups.classes[0] : setup?.rules[0];
  const mainM2 = (main && areas?.byLabel[main.label]?.areaM2) ?? 0;
  const measure = setup?.measure ?? "logRatio";
  const name = measureName(measure, band?.name ?? "", value);
  const reset = () => {
    if (compareHistograms && setup && comparison.side?.info) {
      const start = startOf(comparison.side, study, !!comparison.elevation);
      const at = value ? start : { ...start, band: setup.band };
      change(() => ({ ...at, rules: rulesFrom(at, comparison.side, compareHistograms) }));
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
        ? {
            bands:
              s.bands?.length === 2 ? s.bands : likeBands(comparison.bands, s.band).slice(0, 2),
          }
        : {}),
      ...(m === "formula" && !s.formula?.trim() && band
        ? { formula: `after.${nameInFormula(band)} - before.${nameInFormula(band)}` }
        : {}),
      rules: keep
        ? s.rules
        : (fixed ??
          (compareHistograms && comparison.side
            ? rulesFrom({ ...s, measure: m }, comparison.side, {
                ...compareHistograms,
                measure: emptyHistogram(0, 1),
              })
            : s.rules)),
    }));
  };
  const pickBand = (k: number) =>
    change((s) => {
      const next = comparison.bands[k]!;
      const fits = measuresOf(next);
      const m =
        fits.includes(s.measure) && comparingOf(next) === comparingOf(comparison.bands[s.band]!)
          ? s.measure
          : fits[0]!;
      return { ...s, band: k, measure: m, bands: null };
    });
  const lossUp = measure === "indexLoss" || measure === "relativeLoss";
  const presets = PRESETS.filter((eachPreset) => {
    if (eachPreset.id === "water") {
      return !value;
    }
    if (eachPreset.id === "severity") {
      return value && measure === "indexLoss";
    }
    if (eachPreset.id === "openWater") {
      return value && /ndwi/i.test(band?.name ?? "");
    }
    if (eachPreset.id === "greenness") {
      return (
        value && /vi$/i.test(band?.name ?? "") && ["difference", "indexLoss"].includes(measure)
      );
    }
    return value && measure !== "noChange" && measure !== "changeDirection";
  });
  const preset = (part: Preset) =>
    change((s) => ({
      ...s,
      groups: null,
      rules:
        part.id === "water"
          ? compareHistograms
            ? initialRules(compareHistograms)
            : s.rules
          : part.id === "severity"
            ? severityRules()
            : part.id === "openWater"
              ? openWaterRules()
              : part.id === "greenness"
                ? greennessRules(lossUp)
                : gainLossRules(compareHistograms?.measure ?? null, lossUp, band?.role === "value"),
    }));
  const takeSaved = (part: SavedPreset) =>
    change((s) => {
      const lacks = !comparison.elevation;
      return {
        ...s,
        measure: part.measure,
        formula: part.formula,
        groups: null,
        rules: part.rules,
        limits: {
          ...part.limits,
          studyArea: part.limits.studyArea && !!study.studyArea,
          ...(lacks ? { maxSlopeDeg: null, drainage: null, elevationM: null } : {}),
        },
      };
    });
  // What stands there anyway: as the rules tell water on a date, or a bright index.
  const dark = setup?.rules
    .flatMap((rule) => rule.all)
    .find((condition) => condition.layer === "after" || condition.layer === "before");
  const standingStart = {
    op: dark ? (dark.op[0] as "<" | ">") : value ? ">" : "<",
    value: dark?.value ?? (value ? 0 : -17),
  } as const;
  const classesBy = setup && (
    <Choice
      label="Classes by"
      className="font-sans text-[12px]"
      value={setup.groups ? "groups" : "rules"}
      onChange={(entry) =>
        change((s) => ({
          ...s,
          groups:
            entry === "groups"
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
      onChange={(entry: "classes" | "limits") => setTab(entry)}
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
            classesReady={comparison.classesReady}
            measureName={name}
            groups={setup.groups ? { hidden, show } : null}
            changeEnd={changeEnd(compareHistograms)}
          />
        ) : comparison.unready ? (
          <div className="m-auto mt-24 w-[460px]">
            <Problem>{comparison.unready}. See Prepare.</Problem>
          </div>
        ) : comparison.nodes.error ? (
          <div className="m-auto mt-24 w-[460px]">
            <Problem>{sayError(comparison.nodes.error)}</Problem>
          </div>
        ) : comparison.problem ? (
          <div className="m-auto mt-24 w-[460px]">
            <Problem>{comparison.problem}</Problem>
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
                comparison.kinds.length > 1 && comparison.kind ? (
                  <Choice
                    label="Kind of scene"
                    className="font-sans text-[12px]"
                    value={comparison.kind}
                    onChange={comparison.setKind}
                    options={comparison.kinds.map((kind) => ({ value: kind, name: KIND[kind] }))}
                  />
                ) : undefined
              }
              className="py-2.5"
            >
              <MeasureDesk
                setup={setup}
                bands={comparison.bands}
                pickMeasure={pickMeasure}
                pickBand={pickBand}
                change={change}
              />
              {warnings.map((warning) => (
                <div key={warning} className="mt-2">
                  <Warning>{warning}</Warning>
                </div>
              ))}
              {comparison.problem && (
                <div className="mt-2">
                  <Problem>{comparison.problem}</Problem>
                </div>
              )}
            </Section>
            {setup.groups ? (
              <GroupDesk
                head={classesBy}
                grouping={setup.groups}
                facts={comparison.groups.data ?? null}
                error={comparison.groups.error ? sayError(comparison.groups.error) : null}
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
                      onChange={(entry) => setLayer(entry)}
                      options={[
                        { value: "measure", name: "Change" },
                        { value: "before", name: "Before" },
                        { value: "after", name: "After" },
                      ]}
                    />
                  }
                  right={classesBy}
                >
                  {compareHistograms && histogramTotal(compareHistograms.measure) > 0 ? (
                    <HistogramControl
                      key={layer}
                      cells={compareHistograms.cells}
                      sampled={compareHistograms.sampled}
                      tiles={comparison.histograms.data?.tiles[layer as "before"] ?? null}
                      seenM2={areas && areas.seenM2 > 0 ? areas.seenM2 : null}
                      histogram={compareHistograms[layer as "before"]}
                      layer={layer}
                      unit={unitOf(layer, unit)}
                      rules={setup.rules}
                      onDrag={(at, entry) => drag((s) => moveThreshold(s, at, entry))}
                      onDrop={drop}
                      onSet={(at, entry) => change((s) => moveThreshold(s, at, entry))}
                    />
                  ) : comparison.histograms.error ? (
                    <Problem>{sayError(comparison.histograms.error)}</Problem>
                  ) : compareHistograms ? (
                    <Warning>No cell is seen on both dates inside the study area.</Warning>
                  ) : (
                    <p className="py-10 text-center text-soft">Counting cells …</p>
                  )}
                </Section>
                {tab === "classes" && (
                  <ClassList
                    covers={comparison.covers}
                    cover={comparison.cover}
                    head={lower}
                    unit={unit}
                    start={value ? { measure: 0.2, after: 0 } : { measure: -6, after: -17 }}
                    tools={
                      <>
                        <PresetMenu
                          onReset={compareHistograms ? reset : null}
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
                    hasElevation={!!comparison.elevation}
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
                hasElevation={!!comparison.elevation}
                hasHidden={comparison.has.hidden}
                hasCloud={comparison.has.cloud}
                byRules={!setup.groups}
                classes={setup.groups?.classes ?? setup.rules}
                others={comparison.able.filter(
                  (scene) =>
                    scene.kind === before.kind &&
                    scene.acquiredAt &&
                    scene.id !== before.id &&
                    scene.id !== after.id,
                )}
                unit={unitOf("before", unit)}
                start={standingStart}
                found={exact ? comparison.exact.areas!.limits : null}
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
                {comparison.exact.running !== null
                  ? ` · measuring ${Math.round(comparison.exact.running * 100)} %`
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
                disabled={!nodes || !!comparison.problem || write.isPending}
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
