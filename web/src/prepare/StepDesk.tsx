import type { ReactNode } from 'react';
import { type RadarChain, settingsFor } from '@hindglance/core/chain/radarChain';
import { proposeGrid } from '@hindglance/core/chain/proposeGrid';
import { type Crs, LONLAT, isGeographic, transformer } from '@hindglance/core/geodesy/crs';
import { outline } from '@hindglance/core/grid/grid';
import { histogramTotal } from '@hindglance/core/raster/histogram';
import type { Study } from '../api/types';
import { Section } from '../frame/Frame';
import { day, number } from '../lib/format';
import { Button, Choice, NumberField, Pick, Problem, Warning } from '../ui/controls';
import { GridSystem } from './GridSystem';
import { FILTERS, STEP_WORDS } from './steps';
import type { Field } from './useFields';
import { type BoardRow, type PrepareView, changed, stepNumber, useDesk } from './chainState';
import type { usePrepare } from './usePrepare';

const Row = ({ label, children }: { label: string; children: ReactNode }) => <div className="mb-2 flex min-h-8 items-center justify-between gap-3"><span>{label}</span>{children}</div>;
const ON = [{ value: 'off', name: 'Off' }, { value: 'on', name: 'On' }] as { value: string; name: string }[];

/** The settings of the picked step, what it did, and what it warns of. */
export function StepDesk({ study, view, p, row, input, output, marking, onMark, marked }: { study: Study; view: PrepareView; p: ReturnType<typeof usePrepare>; row: BoardRow | null; input: Field | null; output: Field | null; marking: boolean; onMark(m: boolean): void; marked: boolean }) {
  const { step, only, setOnly } = useDesk(), scene = only && row ? row.sceneId : null, c = settingsFor(view.chain, view.exceptions, scene ?? ''), cell = row?.cells.find((x) => x.step === step), w = STEP_WORDS[step];
  const change = <S extends keyof RadarChain>(s: S, v: Partial<RadarChain[S]>) => p.set(changed(view, s, v, scene));
  const warnings = [...new Map(view.rows.filter((r) => !view.heldOut.includes(r.sceneId)).flatMap((r) => (r.cells.find((x) => x.step === step)?.warnings ?? []).map((text) => [text, r] as const)).map(([text, r]) => [text, [...view.rows.filter((q) => q.cells.find((x) => x.step === step)?.warnings.includes(text)).map((q) => day(q.acquiredAt)), r].slice(0, -1) as string[]])).entries()];
  return (
    <>
      <Section title={`Step ${stepNumber(step)} of 9`} right={row && <Choice label="For which dates" value={only ? 'one' : 'all'} onChange={(v) => setOnly(v === 'one')} options={[{ value: 'all', name: 'Every date' }, { value: 'one', name: `Only ${day(row.acquiredAt)}` }]} />}>
        <h1 className="text-[17px] font-bold">{w.name}</h1>
        <p className="mt-1 text-soft">{w.help}</p>
      </Section>
      <Section>
        {!c[step].on ? <p className="py-1 text-soft">This step is skipped{scene ? ' for this date' : ''}.</p> : <Parameters step={step} c={c} view={view} study={study} scene={scene} change={change} looks={marked ? (input?.looks ?? null) : null} />}
        {cell?.error && <div className="mt-2"><Problem>{cell.error.message}. {cell.error.hint}</Problem></div>}
        {cell?.exception && <p className="mt-2 text-label text-soft">This date has settings of its own here. <button type="button" className="text-spruce underline" onClick={() => { const rest = { ...view.exceptions[row!.sceneId] }; delete rest[step]; p.set({ ...view, exceptions: { ...view.exceptions, [row!.sceneId]: rest } }); }}>Take those of every date</button></p>}
      </Section>
      {row && c[step].on && (
        <Section title={marked ? 'Inside the marked field' : 'Over the scene'} right={<Button tone={marking ? 'act' : 'quiet'} className="h-6 px-2" aria-pressed={marking} onClick={() => onMark(!marking)}>{marking ? 'Drag a box …' : marked ? 'Mark another' : 'Mark an even field'}</Button>}>
          <InOutBars input={input} output={output} />
          {output && <dl className="mt-2 grid grid-cols-[1fr_auto] gap-y-1">
            <dt>Mean</dt><dd className="font-mono text-[12px]">{both(input?.mean, output.mean, 2)} dB</dd>
            <dt>Spread</dt><dd className="font-mono text-[12px]">±{both(input?.deviation, output.deviation, 1)} dB</dd>
            {marked && <><dt title="Mean² over variance of power, in the field you marked">Equivalent looks</dt><dd className="font-mono text-[12px]">{both(input?.looks ?? NaN, output.looks ?? NaN, 1)}</dd></>}
            <dt>Cells</dt><dd className="font-mono text-[12px]">{number(output.cells)}{output.sampled ? ', sample' : ''}</dd>
          </dl>}
        </Section>
      )}
      {warnings.length > 0 && <Section><div className="space-y-2">{warnings.map(([text, dates]) => <Warning key={text}><b>{dates.join(', ')}.</b> {text}</Warning>)}</div></Section>}
    </>
  );
}
const both = (a: number | undefined, b: number, d: number) => (a !== undefined && Number.isFinite(a) ? `${number(a, d)} → ${number(b, d)}` : number(b, d));

function Parameters({ step, c, view, study, scene, change, looks }: { step: keyof RadarChain; c: RadarChain; view: PrepareView; study: Study; scene: string | null; change<S extends keyof RadarChain>(s: S, v: Partial<RadarChain[S]>): void; looks: number | null }): ReactNode {
  const outside = (s: 'flatten' | 'terrain') => <Row label="Beyond the elevation"><Choice label="Beyond the elevation" value={c[s].outside} onChange={(o) => change(s, { outside: o as 'nodata' })} options={[{ value: 'ellipsoid', name: 'Height 0' }, { value: 'nodata', name: 'Nodata' }]} /></Row>;
  switch (step) {
    case 'orbit': return view.orbits.length ? <ul className="text-[12px]">{view.orbits.map((o) => <li key={o.id} className="mb-1 break-all"><b>{o.kind}</b> <span className="text-soft">{o.fileName}</span></li>)}</ul> : <p className="text-soft">No orbit file is in the study. Drop .EOF files into Scenes; each finds its scenes by mission and time.</p>;
    case 'noise': return <p className="text-soft">Cells that noise leaves below zero are kept, so that means stay true; they have no decibel value.</p>;
    case 'calibrate': return <>
      <Row label="To"><Choice label="Backscatter" value={c.calibrate.to} onChange={(to) => change('calibrate', { to })} options={[{ value: 'beta', name: 'β⁰', hint: 'Beta nought' }, { value: 'sigma', name: 'σ⁰', hint: 'Sigma nought' }, { value: 'gamma', name: 'γ⁰', hint: 'Gamma nought' }]} /></Row>
      <Row label="Polarisations"><Choice label="Polarisations" value={c.calibrate.polarisations?.join() ?? 'all'} onChange={(v) => change('calibrate', { polarisations: v === 'all' ? null : [v] })} options={[{ value: 'all', name: 'All' }, { value: 'VV', name: 'VV' }, { value: 'VH', name: 'VH' }]} /></Row>
    </>;
    case 'looks': return <>
      <Row label="In range"><NumberField label="Looks in range" decimals={0} step={1} min={1} max={32} value={c.looks.rangeLooks} onCommit={(rangeLooks) => change('looks', { rangeLooks })} /></Row>
      <Row label="In azimuth"><NumberField label="Looks in azimuth" decimals={0} step={1} min={1} max={32} value={c.looks.azimuthLooks} onCommit={(azimuthLooks) => change('looks', { azimuthLooks })} /></Row>
    </>;
    case 'speckle': return <>
      <Row label="Filter"><Pick label="Filter" className="w-[160px]" value={c.speckle.filter} onChange={(filter) => change('speckle', { filter })} options={FILTERS.map(([value, name]) => ({ value, name }))} /></Row>
      {c.speckle.filter !== 'refinedLee' && <Row label="Window, cells"><Choice label="Window" value={String(c.speckle.windowCells)} onChange={(v) => change('speckle', { windowCells: Number(v) })} options={['3', '5', '7', '9', '11'].map((v) => ({ value: v, name: v }))} /></Row>}
      {!['mean', 'median'].includes(c.speckle.filter) && <Row label="Equivalent looks"><span className="flex items-center gap-2">{looks !== null && Math.abs(looks - c.speckle.looks) > 0.05 && <Button tone="quiet" className="h-6 px-1.5" onClick={() => change('speckle', { looks: Math.round(looks * 10) / 10 })}>Take {number(looks, 1)}</Button>}<NumberField label="Equivalent looks" value={c.speckle.looks} min={0.5} max={1000} step={0.5} onCommit={(v) => change('speckle', { looks: v })} /></span></Row>}
    </>;
    case 'flatten': return <>{outside('flatten')}<p className="text-label text-soft">Elevation: {view.elevations.find((e) => e.id === c.terrain.elevationId)?.name ?? 'none picked'}, as in Terrain.</p></>;
    case 'terrain': {
      const g = c.terrain.grid, degrees = isGeographic(g.crs), cellM = degrees ? Math.round(g.transform[1] * 111_320) : g.transform[1], ring = study.studyArea?.coordinates.flatMap((x) => x[0]!) ?? outline(g).map(([x, y]) => transformer(g.crs, LONLAT)(x, y)), regrid = (m: number, crs: Crs) => change('terrain', { grid: proposeGrid(ring, m, crs) });
      return <>
        <Row label="Elevation"><Pick label="Elevation" className="w-[180px]" value={c.terrain.elevationId ?? 'none'} onChange={(v) => change('terrain', { elevationId: v === 'none' ? null : v })} options={[...view.elevations.map((e) => ({ value: e.id, name: e.name })), { value: 'none', name: 'None: the ellipsoid' }]} /></Row>
        {!scene && <Row label="Cell size, m"><NumberField label="Cell size" decimals={0} step={1} min={1} max={1000} value={cellM} onCommit={(m) => regrid(m, g.crs)} /></Row>}
        {!scene && <GridSystem crs={g.crs} proposed={proposeGrid(ring, cellM).crs} onPick={(crs) => regrid(cellM, crs)} />}
        <Row label="Image takes"><Choice label="Resampling of the image" value={c.terrain.resampling ?? 'bilinear'} onChange={(resampling) => change('terrain', { resampling })} options={[{ value: 'nearest', name: 'Nearest' }, { value: 'bilinear', name: 'Bilinear' }, { value: 'cubic', name: 'Cubic' }]} /></Row>
        {c.terrain.elevationId && <Row label="Elevation takes"><Choice label="Resampling of the elevation" value={c.terrain.elevationResampling ?? 'bilinear'} onChange={(elevationResampling) => change('terrain', { elevationResampling })} options={[{ value: 'nearest', name: 'Nearest' }, { value: 'bilinear', name: 'Bilinear' }]} /></Row>}
        {outside('terrain')}
        <Row label="Incidence and hidden cells"><Choice label="Extra bands" value={c.terrain.extras ? 'on' : 'off'} onChange={(v) => change('terrain', { extras: v === 'on' })} options={ON} /></Row>
        <p className="text-label text-soft">{number(g.width)} x {number(g.height)} cells{degrees ? ` of ${number(g.transform[1], 6)}°` : ''}.</p>
      </>;
    }
    case 'acrossDates': return <Row label="Window, cells"><Choice label="Window" value={String(c.acrossDates.windowCells)} onChange={(v) => change('acrossDates', { windowCells: Number(v) })} options={['3', '5', '7', '9', '11'].map((v) => ({ value: v, name: v }))} /></Row>;
    case 'decibel': return <p className="text-soft">Zero and negative power have no decibel value and become nodata.</p>;
  }
}

/** Histograms of in and out over one axis: in is grey, out is green. */
function InOutBars({ input, output }: { input: Field | null; output: Field | null }) {
  const all = [input, output].filter((f): f is Field => f !== null && f.cells > 0);
  if (all.length === 0) return <p className="py-6 text-center text-soft">Counting cells …</p>;
  const lo = Math.min(...all.map((f) => f.histogram.min)), hi = Math.max(...all.map((f) => f.histogram.max)), x = (v: number) => ((v - lo) / (hi - lo)) * 300;
  const density = (f: Field) => { const n = histogramTotal(f.histogram), w = (f.histogram.max - f.histogram.min) / f.histogram.counts.length; return f.histogram.counts.map((c) => c / n / w); }, d = all.map(density), top = Math.max(...d.flat());
  const ticks = Array.from({ length: 5 }, (_v, k) => lo + ((k + 0.5) * (hi - lo)) / 5);
  return (
    <svg role="img" aria-label="Histograms of in and out" viewBox="0 0 300 92" className="w-full">
      {all.map((f, k) => d[k]!.map((v, i) => { const w = (f.histogram.max - f.histogram.min) / f.histogram.counts.length, h = (v / top) * 72; return <rect key={`${k}.${i}`} x={x(f.histogram.min + i * w)} width={Math.max(0.5, x(lo + w) * 0.9)} y={74 - h} height={h} fill={f === output ? '#1f6658' : '#b3ad9c'} opacity={f === output ? 0.72 : 0.9} />; }))}
      <line x1={0} x2={300} y1={74.5} y2={74.5} stroke="#a9aea8" />
      {ticks.map((t) => <text key={t} x={x(t)} y={88} textAnchor="middle" fontSize={10.5} fill="#5b6866" className="font-mono">{number(t, hi - lo < 4 ? 1 : 0)}</text>)}
    </svg>
  );
}
