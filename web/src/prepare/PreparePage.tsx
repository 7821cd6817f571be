import { useEffect, useMemo, useState } from 'react';
import { useNavigate, useOutletContext } from 'react-router';
import { settingsFor } from '@hindglance/core/chain/radarChain';
import { Undo2 } from 'lucide-react';
import { sayError } from '../api/client';
import type { Study } from '../api/types';
import { Section, Workspace } from '../frame/Frame';
import { day } from '../lib/format';
import { Button, Problem } from '../ui/controls';
import { Board } from './Board';
import { Offers } from './Offers';
import { StepDesk } from './StepDesk';
import { type FieldBox, StepPicture, StepProblem, useStepNodes } from './StepPicture';
import { STEP_WORDS } from './steps';
import { useField } from './useFields';
import { changed, useDesk } from './chainState';
import { usePrepare } from './usePrepare';

export function PreparePage() {
  const study = useOutletContext<Study>(), p = usePrepare(study.id), go = useNavigate(), desk = useDesk(), { open, pick } = desk;
  useEffect(() => { open(study.id); }, [open, study.id]);
  const view = p.view, inside = useMemo(() => view?.rows.filter((r) => !view.heldOut.includes(r.sceneId)) ?? [], [view]);
  const row = inside.find((r) => r.sceneId === desk.sceneId) ?? inside.find((r) => r.sceneId === study.compare?.afterId) ?? inside.at(-1) ?? null;
  useEffect(() => { if (row && desk.studyId === study.id && desk.sceneId !== row.sceneId) pick(row.sceneId, desk.step); }, [row, desk.sceneId, desk.step, desk.studyId, pick, study.id]);
  const { undo } = p;
  useEffect(() => {
    const key = (e: KeyboardEvent) => { if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'z' && !/^(INPUT|TEXTAREA)$/.test((e.target as HTMLElement).tagName)) { e.preventDefault(); undo(); } };
    window.addEventListener('keydown', key);
    return () => window.removeEventListener('keydown', key);
  }, [undo]);

  const chainKey = view ? JSON.stringify([view.chain, view.exceptions, view.heldOut, view.orbits.length, row?.result]) : '', nodes = useStepNodes(study.id, p.saving ? null : (row?.sceneId ?? null), desk.step, chainKey);
  const [marking, setMarking] = useState(false), [field, setField] = useState<{ key: string; input: FieldBox; output: FieldBox } | null>(null), frame = nodes.data ? `${row?.sceneId}/${nodes.data.output.info.grid.crs.code}/${nodes.data.input.info.grid.crs.code}/${nodes.data.input.info.grid.width}` : '', box = field && field.key === frame ? field : null;
  const input = useField(nodes.data?.input.hash ?? null, box?.input ?? null), output = useField(nodes.data?.output.hash ?? null, box?.output ?? null);

  if (p.error) return <div className="m-auto w-[440px]"><Problem>{sayError(p.error)}</Problem></div>;
  if (!view) return <p className="p-6 text-soft">Loading …</p>;
  if (view.rows.length === 0) return <Workspace label="Prepare" strip={null} picture={<div className="flex h-full items-center justify-center text-center text-[#c9d0cd]"><div className="w-[400px]"><p className="mb-3 text-[15px] text-white">No radar product is here yet</p><p className="mb-4">Prepare takes ground-range detected products in the SAFE layout, zipped or as a folder. Images that are calibrated and on the map already go straight to Compare.</p><Button onClick={() => void go(`/studies/${study.id}/scenes`)}>Go to Scenes</Button></div></div>} desk={<Section title="Prepare"><p className="text-soft">One chain for every date: what is done to one is done to all.</p></Section>} />;
  const step = desk.step, scene = desk.only && row ? row.sceneId : null, on = settingsFor(view.chain, view.exceptions, scene ?? '')[step].on, words = STEP_WORDS[step].name, before = previousName(view.chain, step);
  const toggle = () => p.set(changed(view, step, { on: !on }, scene));
  return (
    <Workspace label="Prepare" strip={<Board study={study} view={view} p={p} />}
      picture={row && nodes.data ? <StepPicture study={study} nodes={nodes.data} names={[before, `${words}, ${day(row.acquiredAt)}`]} fields={{ input, output }} marking={marking} onField={(f) => { setMarking(false); setField(f ? { key: frame, ...f } : null); }} /> : nodes.error ? <StepProblem error={nodes.error} /> : <p className="p-6 text-[#c9d0cd]">{row ? 'Loading the picture …' : 'Every date is held out.'}</p>}
      desk={<><Offers study={study} view={view} /><StepDesk study={study} view={view} p={p} row={row} input={input} output={output} marking={marking} onMark={(m) => { setMarking(m); if (m) setField(null); }} marked={!!box} /></>}
      footer={<div className="flex items-center justify-between gap-2">
        <Button onClick={toggle}>{on ? 'Skip this step' : 'Use this step'}</Button>
        <span className="flex gap-2"><Button title="Take back (Ctrl Z)" disabled={desk.past.length === 0} onClick={p.undo}><Undo2 size={14} aria-hidden />Undo</Button><Button tone="act" disabled={p.running || p.run.isPending || !row || row.ready} onClick={() => p.run.mutate([row!.sceneId])}>{row?.ready ? `${day(row.acquiredAt)} is run` : `Run ${row ? day(row.acquiredAt) : ''}`}</Button></span>
      </div>} />
  );
}

/** The last step before this one that is not skipped. */
function previousName(chain: ReturnType<typeof settingsFor>, step: keyof typeof STEP_WORDS): string {
  const order = Object.keys(STEP_WORDS) as (keyof typeof STEP_WORDS)[];
  for (let k = order.indexOf(step) - 1; k >= 0; k--) if (chain[order[k]!].on) return STEP_WORDS[order[k]!].name;
  return 'Product';
}
