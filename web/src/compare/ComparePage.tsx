import { useEffect, useMemo, useState } from 'react';
import { useNavigate, useOutletContext } from 'react-router';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { emptyHistogram, histogramTotal, mergeHistograms, quantile } from '@hindglance/core/raster/histogram';
import { PRESETS, type Preset, gainLossRules, initialRules, rulesOfMeasure, severityRules } from '@hindglance/core/change/defaults';
import { type Measure, comparingOf, measureUnit, measuresOf } from '@hindglance/core/change/setup';
import type { Layer } from '@hindglance/core/change/rules';
import { cellAreas } from '@hindglance/core/grid/area';
import { DropdownMenu } from 'radix-ui';
import { Undo2 } from 'lucide-react';
import { api, sayError } from '../api/client';
import { keys, useRuns, useScenes } from '../api/hooks';
import type { Scene, Study } from '../api/types';
import { Section, Workspace } from '../frame/Frame';
import { TimeStrip } from '../frame/TimeStrip';
import { km2, number } from '../lib/format';
import { useUi } from '../state/ui';
import { Bar, Button, Choice, NumberField, Pick, Problem, Warning } from '../ui/controls';
import { ClassList } from './ClassList';
import { CompareMaps } from './CompareMaps';
import { HistogramControl } from './HistogramControl';
import { LimitChips } from './LimitChips';
import { useCompare } from './state';
import { moveThreshold } from './thresholds';
import { DECIBEL, plainUnit, unitOf, withMeasure } from './units';
import { comparableScenes } from './pair';
import { rulesFrom, startOf, useComparison } from './useComparison';

export function ComparePage() {
  const study = useOutletContext<Study>(), scenes = useScenes(study.id).data;
  if (!scenes) return <p className="p-6 text-soft">Loading …</p>;
  return <Compare study={study} scenes={scenes} />;
}

const MEASURE: Record<Measure, { name: string; value: string; help: string; valueHelp: string }> = {
  logRatio: { name: 'Log ratio', value: 'Log ratio', help: '10·log₁₀(after ÷ before) of power, in dB. Below zero means darker after the event.', valueHelp: '' },
  difference: { name: 'Difference of decibels', value: 'Difference', help: 'After − before, both in dB after the speckle filter. Below zero means darker after the event.', valueHelp: 'After − before. Below zero means less after the event.' },
  indexLoss: { name: 'Index loss', value: 'Index loss', help: '', valueHelp: 'Before − after, the convention of dNBR. Above zero means lost or burned.' },
  relativeChange: { name: 'Relative change', value: 'Relative change', help: '', valueHelp: '(After − before) ÷ |before|, in per cent of what was there. Below zero means less after the event.' },
  decibelQuotient: { name: 'Quotient of decibels', value: 'Quotient', help: 'After ÷ before, both in dB: over 1 means darker. It depends on the reference level of the decibels and has no meaning near 0 dB; the log ratio has neither weakness.', valueHelp: '' },
  relativeLoss: { name: 'Relative loss', value: 'Relative loss', help: '', valueHelp: '(Before − after) ÷ √|before|, as RdNBR: sparse ground counts as much as dense.' },
};
/** What a measure is called on a band: dNBR for the loss of NBR. */
const measureName = (m: Measure, band: string, value: boolean): string => (m === 'indexLoss' && /^nbr$/i.test(band) ? 'dNBR, before − after' : m === 'relativeLoss' && /^nbr$/i.test(band) ? 'RdNBR' : value ? MEASURE[m].value : MEASURE[m].name);

function Compare({ study, scenes }: { study: Study; scenes: Scene[] }) {
  const go = useNavigate(), q = useQueryClient(), c = useComparison(study, scenes), { change, drag, drop, undo, redo } = useCompare.getState();
  const past = useCompare((s) => s.past.length), [layer, setLayer] = useState<Layer>('measure');
  const runs = useRuns().data ?? [], writing = runs.find((r) => r.kind === 'writeChangeMap' && r.studyId === study.id && r.state === 'running');
  const [written, setWritten] = useState<string | null>(null);
  const write = useMutation({
    mutationFn: () => api<{ runId: string }>('POST', `/studies/${study.id}/change-maps`, { ...c.pairIds, setup: c.setup }),
    onSuccess: (r) => { setWritten(r.runId); void q.invalidateQueries({ queryKey: keys.runs }); }, onError: (e) => useUi.getState().say(sayError(e), 'wrong'),
  });
  const done = runs.find((r) => r.id === written);
  useEffect(() => {
    if (!done || done.state === 'running') return;
    setWritten(null);
    if (done.state === 'done') { useUi.getState().say('The change map is written.'); void q.invalidateQueries({ queryKey: keys.maps(study.id) }).then(() => go(`/studies/${study.id}/tally?map=${done.result?.changeMapId ?? ''}`)); }
    else if (done.error) useUi.getState().say(`${done.error.message}. ${done.error.hint ?? ''}`, 'wrong');
  }, [done, go, q, study.id]);

  const pairs = useMemo(() => comparableScenes(c.able), [c.able]), { setPair, pairIds } = c;
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (/^(INPUT|TEXTAREA)$/.test((e.target as HTMLElement).tagName)) return;
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'z') { e.preventDefault(); if (e.shiftKey) redo(); else undo(); }
      const d = e.key === '[' ? -1 : e.key === ']' ? 1 : 0;
      if (d && pairIds) { const k = pairs.findIndex((s) => s.id === pairIds.afterId), n = pairs[k + d], b = pairs.find((s) => s.id === pairIds.beforeId); if (n && b && n.acquiredAt! > b.acquiredAt!) setPair(b.id, n.id); }
    };
    window.addEventListener('keydown', key);
    return () => window.removeEventListener('keydown', key);
  }, [undo, redo, pairs, pairIds, setPair]);

  const h = c.histograms.data, nodes = c.nodes.data, setup = c.setup;
  const band = setup ? c.bands[setup.band] : undefined, value = !!band && comparingOf(band) === 'value', unit = withMeasure(value ? plainUnit(band.unit) : DECIBEL, setup?.measure ?? 'logRatio');
  const ends = h ? [quantile(mergeHistograms(h.before, h.after), 0.01), quantile(mergeHistograms(h.before, h.after), 0.995)].map((v) => (value ? v : Math.round(v))) : null, lo = ends && Number.isFinite(ends[0]) ? ends[0]! : -24, hi = ends && Number.isFinite(ends[1]) ? ends[1]! : -2;
  const stretch = useMemo(() => ({ lo, hi: Math.max(lo + (value ? 1e-3 : 1), hi) }), [lo, hi, value]);
  const strip = <TimeStrip study={study} scenes={scenes} pairable={pairs} beforeId={pairIds?.beforeId ?? null} afterId={pairIds?.afterId ?? null} onPair={setPair} />;
  const grid = nodes?.gated.info.grid, cellM2 = useMemo(() => (grid ? cellAreas(grid).cell(grid.width >> 1, grid.height >> 1) : 400), [grid]);

  if (!c.pair) {
    return <Workspace label="Compare" strip={strip} picture={<div className="flex h-full items-center justify-center text-center text-[#c9d0cd]"><div className="w-[380px]"><p className="mb-3 text-[15px] text-white">Two dates are needed</p><p className="mb-4">{pairs.length === 0 ? 'Add a scene from before the event and one from after.' : 'One scene is there; add the other side of the event.'}</p><Button onClick={() => void go(`/studies/${study.id}/scenes`)}>Go to Scenes</Button></div></div>} desk={<Section title="Compare"><p className="text-soft">Measure, thresholds and classes appear here once both dates are there.</p></Section>} />;
  }
  const { before, after } = c.pair, bands = c.bands.map((b, i) => ({ b, i })).filter(({ b }) => comparingOf(b) !== null);
  // Exact areas when the server has them for these very settings, else what the worker measured.
  const exact = !c.dragging && c.exact.areas !== null, areas = exact ? c.exact.areas : c.live.areas;
  const main = setup?.rules[0], mainM2 = (main && areas?.byLabel[main.label]?.areaM2) ?? 0;
  const measure = setup?.measure ?? 'logRatio', name = measureName(measure, band?.name ?? '', value);
  const reset = () => { if (h && setup && c.side?.info) { const start = startOf(c.side, study, !!c.elevation), at = value ? start : { ...start, band: setup.band }; change(() => ({ ...at, rules: rulesFrom(at, c.side, h) })); } };
  /** Thresholds of a measure say nothing in the unit of another, nor does its histogram: the usual ones are the start. */
  const pickMeasure = (m: Measure) => change((s) => ({ ...s, measure: m, rules: measureUnit(m, '') === measureUnit(s.measure, '') && (m === 'decibelQuotient') === (s.measure === 'decibelQuotient') ? s.rules : (rulesOfMeasure(m) ?? (h && c.side ? rulesFrom({ ...s, measure: m }, c.side, { ...h, measure: emptyHistogram(0, 1) }) : s.rules)) }));
  const pickBand = (k: number) => change((s) => { const next = c.bands[k]!, fits = measuresOf(next), m = fits.includes(s.measure) && comparingOf(next) === comparingOf(c.bands[s.band]!) ? s.measure : fits[0]!; return { ...s, band: k, measure: m }; });
  const preset = (p: Preset) => change((s) => ({ ...s, rules: p.id === 'water' ? (h ? initialRules(h) : s.rules) : p.id === 'severity' ? severityRules() : gainLossRules(h?.measure ?? null, s.measure !== 'difference' && value, band?.role === 'value') }));
  const presets = PRESETS.filter((p) => (p.id === 'water' ? !value : p.id === 'severity' ? value && measure === 'indexLoss' : value));
  const warnings = nodes?.warnings ?? [];
  return (
    <Workspace label="Compare" strip={strip}
      picture={nodes && setup ? <CompareMaps bandName={band?.name ?? ''} unit={unit} study={study} before={before} after={after} nodes={nodes} setup={setup} stretch={stretch} classesReady={c.classesReady} measureName={name} /> : c.unready ? <div className="m-auto mt-24 w-[460px]"><Problem>{c.unready}. See Prepare.</Problem></div> : c.nodes.error ? <div className="m-auto mt-24 w-[460px]"><Problem>{sayError(c.nodes.error)}</Problem></div> : <p className="p-6 text-[#c9d0cd]">Loading the pair …</p>}
      desk={setup && <>
        <Section title="Measure" className="py-2.5">
          <div className="grid grid-cols-[1fr_84px] gap-2">
            <Pick label="Measure" value={setup.measure} onChange={pickMeasure} options={(band ? measuresOf(band) : [measure]).map((m) => ({ value: m, name: measureName(m, band?.name ?? '', value) }))} />
            <Pick label="Band" value={String(setup.band)} onChange={(v) => pickBand(Number(v))} options={bands.map(({ b, i }) => ({ value: String(i), name: b.polarisation ?? b.name }))} />
          </div>
          <p className="mt-1.5 text-soft">{value ? MEASURE[measure].valueHelp : MEASURE[measure].help}</p>
          {!value && <div className="mt-2 flex items-center justify-between gap-2">
            <span className="text-soft">Speckle</span>
            <span className="flex items-center gap-2">
              <Choice label="Speckle filter" value={setup.speckle.filter} onChange={(filter) => change((s) => ({ ...s, speckle: { ...s.speckle, filter } }))} options={[{ value: 'none', name: 'Off' }, { value: 'lee', name: 'Lee', hint: 'Lee 1980, 7 x 7' }, { value: 'refinedLee', name: 'Refined', hint: 'Refined Lee 1981: keeps edges' }]} />
              <span className="flex items-center gap-1 text-soft" title="Equivalent number of looks; estimated from even ground when the study was begun"><NumberField label="Looks" value={setup.speckle.looks} min={0.5} max={1000} step={0.5} onCommit={(looks) => change((s) => ({ ...s, speckle: { ...s.speckle, looks } }))} />looks</span>
            </span>
          </div>}
          {warnings.map((w) => <div key={w} className="mt-2"><Warning>{w}</Warning></div>)}
          {c.problem && <div className="mt-2"><Problem>{c.problem}</Problem></div>}
        </Section>
        <Section className="py-2.5" title={<Choice label="Layer of the histogram" className="font-sans text-[12px]" value={layer} onChange={(v) => setLayer(v as Layer)} options={[{ value: 'measure' as string, name: 'Change' }, { value: 'before', name: 'Before' }, { value: 'after', name: 'After' }]} />} right={h && <span className="font-mono text-[12px] text-soft" title={h.sampled ? 'From blocks spread over the image, at full resolution' : 'All cells of the study area that both dates show'}>{number(h.cells / 1e6, 2)} M cells{h.sampled ? ', sample' : ''}</span>}>
          {h && histogramTotal(h.measure) > 0 ? <HistogramControl key={layer} seenM2={areas && areas.seenM2 > 0 ? areas.seenM2 : null} histogram={h[layer as 'before']} layer={layer} unit={unitOf(layer, unit)} rules={setup.rules} onDrag={(at, v) => drag((s) => moveThreshold(s, at, v))} onDrop={drop} onSet={(at, v) => change((s) => moveThreshold(s, at, v))} />
            : c.histograms.error ? <Problem>{sayError(c.histograms.error)}</Problem> : h ? <Warning>No cell is seen on both dates inside the study area.</Warning> : <p className="py-10 text-center text-soft">Counting cells …</p>}
        </Section>
        <ClassList unit={unit} start={value ? { measure: 0.2, after: 0 } : { measure: -6, after: -17 }} tools={<>{presets.length > 0 && <DropdownMenu.Root><DropdownMenu.Trigger asChild><Button tone="quiet" className="h-6 px-1.5">Presets</Button></DropdownMenu.Trigger><DropdownMenu.Portal><DropdownMenu.Content sideOffset={4} align="end" className="z-50 w-72 rounded-card border border-line bg-white py-1 shadow-lg">{presets.map((p) => <DropdownMenu.Item key={p.id} onSelect={() => preset(p)} className="cursor-pointer px-3 py-1.5 outline-none data-[highlighted]:bg-bone"><span className="font-medium">{p.name}</span><span className="block text-label text-soft">{p.help}</span></DropdownMenu.Item>)}</DropdownMenu.Content></DropdownMenu.Portal></DropdownMenu.Root>}<Button tone="quiet" aria-label="Take back" title="Take back (Ctrl Z)" className="h-6 w-7 px-0" disabled={past === 0} onClick={undo}><Undo2 size={14} className="shrink-0" aria-hidden /></Button><Button tone="quiet" className="h-6 px-1.5" onClick={reset} disabled={!h} title="Back to the suggested settings">Reset</Button></>} setup={setup} areas={areas?.byLabel ?? null} exact={exact} hasElevation={!!c.elevation} change={change} />
        <LimitChips limits={setup.limits} cellM2={cellM2} hasArea={!!study.studyArea} hasElevation={!!c.elevation} change={change} />
      </>}
      footer={setup && <div className="flex items-center justify-between gap-3">
        <div className="min-w-0">
          <div className="truncate text-[15px]" data-testid="headline"><b>{areas ? km2(mainM2) : '–'}</b> {main?.name.toLowerCase()}</div>
          <div className="text-label text-soft">{areas && areas.seenM2 > 0 ? `${number((100 * mainM2) / areas.seenM2, 1)} % of the area seen` : ''}{c.exact.running !== null ? ` · measuring ${Math.round(c.exact.running * 100)} %` : exact ? ' · exact' : areas ? ' · overview' : ''}</div>
        </div>
        {writing ? <span className="w-[140px] shrink-0"><span className="text-label text-soft">{writing.doing}</span><Bar share={writing.progress} label="Writing the change map" /></span> : <Button tone="act" className="shrink-0" disabled={!nodes || !!c.problem || write.isPending} onClick={() => write.mutate()}>Write change map</Button>}
      </div>} />
  );
}
