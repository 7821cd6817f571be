import { useEffect, useMemo, useState } from 'react';
import { useNavigate, useOutletContext } from 'react-router';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { histogramTotal, mergeHistograms, quantile } from '@hindglance/core/raster/histogram';
import { emptySetup, initialRules } from '@hindglance/core/change/defaults';
import type { Layer } from '@hindglance/core/change/rules';
import { cellAreas } from '@hindglance/core/grid/area';
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
import { useComparison } from './useComparison';

export function ComparePage() {
  const study = useOutletContext<Study>(), scenes = useScenes(study.id).data;
  if (!scenes) return <p className="p-6 text-soft">Loading …</p>;
  return <Compare study={study} scenes={scenes} />;
}

const MEASURE = { logRatio: ['Log ratio', '10·log₁₀(after ÷ before) of power, in dB. Below zero means darker after the event.'], difference: ['Difference of decibels', 'After − before, both in dB after the speckle filter. Below zero means darker after the event.'] } as const;

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

  const pairs = useMemo(() => scenes.filter((s) => s.kind === 'radar' && s.imageId), [scenes]), { setPair, pairIds } = c;
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
  const ends = h ? [quantile(mergeHistograms(h.before, h.after), 0.01), quantile(mergeHistograms(h.before, h.after), 0.995)] : null, lo = ends && Number.isFinite(ends[0]) ? Math.round(ends[0]!) : -24, hi = ends && Number.isFinite(ends[1]) ? Math.round(ends[1]!) : -2;
  const stretch = useMemo(() => ({ lo, hi: Math.max(lo + 1, hi) }), [lo, hi]);
  const strip = <TimeStrip study={study} scenes={scenes} beforeId={pairIds?.beforeId ?? null} afterId={pairIds?.afterId ?? null} onPair={setPair} />;
  const grid = nodes?.gated.info.grid, cellM2 = useMemo(() => (grid ? cellAreas(grid).cell(grid.width >> 1, grid.height >> 1) : 400), [grid]);

  if (!c.pair) {
    return <Workspace label="Compare" strip={strip} picture={<div className="flex h-full items-center justify-center text-center text-[#c9d0cd]"><div className="w-[380px]"><p className="mb-3 text-[15px] text-white">Two dates are needed</p><p className="mb-4">{pairs.length === 0 ? scenes?.some((s) => s.kind === 'optical') ? 'Change is measured on radar so far; the optical scenes of this study can be looked at in Scenes. Add a radar image from before the event and one from after.' : 'Add a radar image from before the event and one from after.' : 'One radar image is there; add the other side of the event.'}</p><Button onClick={() => void go(`/studies/${study.id}/scenes`)}>Go to Scenes</Button></div></div>} desk={<Section title="Compare"><p className="text-soft">Measure, thresholds and classes appear here once both dates are there.</p></Section>} />;
  }
  const { before, after } = c.pair, bands = c.bands.filter((b) => b.role === 'power' || b.role === 'decibel');
  // Exact areas when the server has them for these very settings, else what the worker measured.
  const exact = !c.dragging && c.exact.areas !== null, areas = exact ? c.exact.areas : c.live.areas;
  const main = setup?.rules[0], mainM2 = (main && areas?.byLabel[main.label]?.areaM2) ?? 0;
  const [measureName, measureHelp] = MEASURE[setup?.measure ?? 'logRatio'];
  const reset = () => { if (h && setup) change((s) => ({ ...emptySetup({ looks: before.looks?.[s.band] ?? null, hasStudyArea: !!study.studyArea, hasElevation: !!c.elevation }), band: s.band, rules: initialRules(h) })); };
  const warnings = nodes?.warnings ?? [];
  return (
    <Workspace label="Compare" strip={strip}
      picture={nodes && setup ? <CompareMaps bandName={bands[setup.band]?.name ?? ''} study={study} before={before} after={after} nodes={nodes} setup={setup} stretch={stretch} classesReady={c.classesReady} measureName={measureName} /> : c.unready ? <div className="m-auto mt-24 w-[460px]"><Problem>{c.unready}. See Prepare.</Problem></div> : c.nodes.error ? <div className="m-auto mt-24 w-[460px]"><Problem>{sayError(c.nodes.error)}</Problem></div> : <p className="p-6 text-[#c9d0cd]">Loading the pair …</p>}
      desk={setup && <>
        <Section title="Measure" className="py-2.5">
          <div className="grid grid-cols-[1fr_84px] gap-2">
            <Pick label="Measure" value={setup.measure} onChange={(measure) => change((s) => ({ ...s, measure }))} options={(['logRatio', 'difference'] as const).map((m) => ({ value: m, name: MEASURE[m][0] }))} />
            <Pick label="Band" value={String(setup.band)} onChange={(v) => change((s) => ({ ...s, band: Number(v) }))} options={bands.map((b, i) => ({ value: String(i), name: b.polarisation ?? b.name }))} />
          </div>
          <p className="mt-1.5 text-soft">{measureHelp}</p>
          <div className="mt-2 flex items-center justify-between gap-2">
            <span className="text-soft">Speckle</span>
            <span className="flex items-center gap-2">
              <Choice label="Speckle filter" value={setup.speckle.filter} onChange={(filter) => change((s) => ({ ...s, speckle: { ...s.speckle, filter } }))} options={[{ value: 'none', name: 'Off' }, { value: 'lee', name: 'Lee', hint: 'Lee 1980, 7 x 7' }, { value: 'refinedLee', name: 'Refined', hint: 'Refined Lee 1981: keeps edges' }]} />
              <span className="flex items-center gap-1 text-soft" title="Equivalent number of looks; estimated from even ground when the study was begun"><NumberField label="Looks" value={setup.speckle.looks} min={0.5} max={1000} step={0.5} onCommit={(looks) => change((s) => ({ ...s, speckle: { ...s.speckle, looks } }))} />looks</span>
            </span>
          </div>
          {warnings.map((w) => <div key={w} className="mt-2"><Warning>{w}</Warning></div>)}
          {c.problem && <div className="mt-2"><Problem>{c.problem}</Problem></div>}
        </Section>
        <Section className="py-2.5" title={<Choice label="Layer of the histogram" className="font-sans text-[12px]" value={layer} onChange={(v) => setLayer(v as Layer)} options={[{ value: 'measure' as string, name: 'Change' }, { value: 'before', name: 'Before' }, { value: 'after', name: 'After' }]} />} right={h && <span className="font-mono text-[12px] text-soft" title={h.sampled ? 'From blocks spread over the image, at full resolution' : 'All cells of the study area that both dates show'}>{number(h.cells / 1e6, 2)} M cells{h.sampled ? ', sample' : ''}</span>}>
          {h && histogramTotal(h.measure) > 0 ? <HistogramControl key={layer} histogram={h[layer as 'before']} layer={layer} unit="dB" rules={setup.rules} onDrag={(at, v) => drag((s) => moveThreshold(s, at, v))} onDrop={drop} onSet={(at, v) => change((s) => moveThreshold(s, at, v))} />
            : c.histograms.error ? <Problem>{sayError(c.histograms.error)}</Problem> : h ? <Warning>No cell is seen on both dates inside the study area.</Warning> : <p className="py-10 text-center text-soft">Counting cells …</p>}
        </Section>
        <ClassList tools={<><Button tone="quiet" aria-label="Take back" title="Take back (Ctrl Z)" className="h-6 w-7 px-0" disabled={past === 0} onClick={undo}><Undo2 size={14} className="shrink-0" aria-hidden /></Button><Button tone="quiet" className="h-6 px-1.5" onClick={reset} disabled={!h} title="Back to the suggested settings">Reset</Button></>} setup={setup} areas={areas?.byLabel ?? null} exact={exact} hasElevation={!!c.elevation} change={change} />
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
