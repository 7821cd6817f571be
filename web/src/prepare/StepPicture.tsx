import { useEffect, useMemo, useRef, useState } from 'react';
import DragBox from 'ol/interaction/DragBox';
import type OlMap from 'ol/Map';
import { useQuery } from '@tanstack/react-query';
import { LONLAT, transformer } from '@hindglance/core/geodesy/crs';
import { type Grid, toCell } from '@hindglance/core/grid/grid';
import { isSensorFrame } from '@hindglance/core/radar/sensor';
import { quantile } from '@hindglance/core/raster/histogram';
import { api, sayError } from '../api/client';
import type { NodeView, Study } from '../api/types';
import { Curtain } from '../compare/Curtain';
import { degrees, number } from '../lib/format';
import { outlineLayer } from '../map/areaLayer';
import { displayed } from '../map/displayed';
import { type Stretch, greyLayer, sourceOf, viewOf } from '../map/layers';
import { MapPane } from '../map/MapPane';
import { NodeCells } from '../map/nodeCells';
import { useUi } from '../state/ui';
import { Problem } from '../ui/controls';
import type { Field } from './useFields';

export interface StepNodes { input: NodeView; output: NodeView; sensor: 'ascending' | 'descending' }
export interface FieldBox { col: number; row: number; width: number; height: number }

/** In and out of a step: under one curtain where both lie in one frame, else side by side. */
export function StepPicture({ study, nodes, names, fields, marking, onField }: { study: Study; nodes: StepNodes; names: [string, string]; fields: { input: Field | null; output: Field | null }; marking: boolean; onField(f: { input: FieldBox; output: FieldBox } | null): void }) {
  const input = useMemo(() => displayed(nodes.input), [nodes.input]), output = useMemo(() => displayed(nodes.output), [nodes.output]), one = input.info.grid.crs.code === output.info.grid.crs.code;
  const stretches = stretchesOf(fields);
  if (one) return <InOut key={`${input.info.grid.crs.code}`} study={study} input={input} output={output} sensor={nodes.sensor} names={names} stretches={stretches} marking={marking} onField={onField} />;
  return (
    <div className="flex h-full">
      <div className="h-full min-w-0 flex-1 border-r-2 border-paper"><Single key={input.hash} study={study} node={input} sensor={nodes.sensor} name={names[0]} side="in" stretch={stretches.input} /></div>
      <div className="h-full min-w-0 flex-1"><Single key={output.hash} study={study} node={output} sensor={nodes.sensor} name={names[1]} side="out" stretch={stretches.output} /></div>
    </div>
  );
}

/** One stretch for both sides where they are on one level, so that a difference seen is a difference made. */
function stretchesOf(f: { input: Field | null; output: Field | null }): { input: Stretch | null; output: Stretch | null } {
  const of = (x: Field | null) => (x && x.cells > 0 ? { lo: quantile(x.histogram, 0.02), hi: quantile(x.histogram, 0.98) } : null), a = of(f.input), b = of(f.output);
  return a && b && f.input!.unit === f.output!.unit && Math.abs(f.input!.mean - f.output!.mean) < 5 ? { input: a, output: a } : { input: a, output: b };
}

function useLayer(node: NodeView, stretch: Stretch | null) {
  const cells = useMemo(() => new NodeCells(node), [node]), source = useMemo(() => sourceOf(cells), [cells]), lo = stretch?.lo ?? 0, hi = Math.max(lo + 0.5, stretch?.hi ?? 1);
  return { cells, layer: useMemo(() => greyLayer(source, { lo, hi }), [source, lo, hi]) };
}

function InOut({ study, input, output, sensor, names, stretches, marking, onField }: { study: Study; input: NodeView; output: NodeView; sensor: StepNodes['sensor']; names: [string, string]; stretches: { input: Stretch | null; output: Stretch | null }; marking: boolean; onField(f: { input: FieldBox; output: FieldBox } | null): void }) {
  const glancing = useUi((s) => s.glancing), [curtain, setCurtain] = useState(0.5), [at, setAt] = useState<[number, number] | null>(null), map = useRef<OlMap | null>(null);
  const a = useLayer(input, stretches.input), b = useLayer(output, stretches.output), frame = isSensorFrame(output.info.grid.crs), grid = useRef(output.info.grid), area = useRef(study.studyArea);
  const view = useMemo(() => viewOf(grid.current, null, frame ? null : area.current), [frame]);
  const outline = useMemo(() => (!frame && study.studyArea ? outlineLayer([study.studyArea], output.info.grid.crs) : null), [frame, study.studyArea, output]);
  const layers = useMemo(() => [a.layer, b.layer, ...(outline ? [outline] : [])], [a.layer, b.layer, outline]), clips = useMemo(() => [{ layers: [a.layer], side: 'left' as const }, { layers: [b.layer], side: 'right' as const }], [a.layer, b.layer]);
  useEffect(() => { b.layer.setVisible(!glancing); }, [glancing, b.layer]);
  const done = useRef(onField);
  done.current = onField;
  useEffect(() => {
    const m = map.current;
    if (!marking || !m) return;
    const d = new DragBox({ className: 'field-box' });
    d.on('boxend', () => { const e = d.getGeometry().getExtent() as [number, number, number, number], box = (g: Grid) => boxIn(g, e), i = box(input.info.grid), o = box(output.info.grid); done.current(i && o ? { input: i, output: o } : null); });
    m.addInteraction(d);
    return () => { m.removeInteraction(d); };
  }, [marking, input, output]);
  return (
    <MapPane view={view} layers={layers} label={`${names[0]} in and ${names[1]} out`} scale={!frame} curtain={glancing ? null : curtain} clips={clips} onPointer={setAt} onMap={(m) => { map.current = m; }}>
      <Side name={names[0]} side="in" />{!glancing && <Side name={names[1]} side="out" />}
      {!glancing && <Curtain at={curtain} onMove={setCurtain} what="in" />}
      <ReadOut at={at} cells={[a.cells, b.cells]} grid={output.info.grid} sensor={frame ? sensor : null} />
    </MapPane>
  );
}

function Single({ study, node, sensor, name, side, stretch }: { study: Study; node: NodeView; sensor: StepNodes['sensor']; name: string; side: 'in' | 'out'; stretch: Stretch | null }) {
  const { cells, layer } = useLayer(node, stretch), frame = isSensorFrame(node.info.grid.crs), [at, setAt] = useState<[number, number] | null>(null), area = useRef(study.studyArea);
  const view = useMemo(() => viewOf(node.info.grid, null, frame ? null : area.current), [node, frame]), layers = useMemo(() => [layer, ...(!frame && study.studyArea ? [outlineLayer([study.studyArea], node.info.grid.crs)] : [])], [layer, frame, study.studyArea, node]);
  return <MapPane view={view} layers={layers} label={`${name}, ${side}`} scale={!frame} onPointer={setAt}><Side name={name} side={side} /><ReadOut at={at} cells={[cells]} grid={node.info.grid} sensor={frame ? sensor : null} /></MapPane>;
}

const Side = ({ name, side }: { name: string; side: 'in' | 'out' }) => <div className={`pointer-events-none absolute top-3 rounded-field bg-night/85 px-2.5 py-1 text-[11px] text-[#d5dbd8] ${side === 'in' ? 'left-3' : 'right-3'}`}><b className="mr-2 text-[12px] text-white">{name}</b>{side}</div>;

/** Lines run with time, samples away from the sensor: where that puts east and north. */
const facing = (pass: StepNodes['sensor']) => (pass === 'descending' ? 'east is left' : 'south is up');

function ReadOut({ at, cells, grid, sensor }: { at: [number, number] | null; cells: NodeCells[]; grid: Grid; sensor: StepNodes['sensor'] | null }) {
  const values = at ? cells.map((c) => c.valueAt(...at)) : [], place = at && !sensor ? transformer(grid.crs, LONLAT)(...at) : null;
  const say = (v: { values: number[] } | null | undefined) => (v && Number.isFinite(v.values[0]!) ? `${number(v.values[0]!, 1)}` : '–');
  return (
    <div className="pointer-events-none absolute bottom-3 left-3 rounded-field bg-night/85 px-2.5 py-1.5 font-mono text-[12px] leading-[17px] text-white">
      {sensor && <div className="text-[#c9d0cd]">sensor geometry · {facing(sensor)}</div>}
      {at ? <div>{place ? degrees(...place) : `line ${number(Math.floor(-at[1]))}, sample ${number(Math.floor(at[0]))}`} · {values.map(say).join(' → ')} dB</div> : !sensor && <div className="text-[#c9d0cd]">Point at the picture to read it</div>}
    </div>
  );
}

/** Cells of a grid under a box on the map; null where it holds fewer than nine. */
function boxIn(g: Grid, [x0, y0, x1, y1]: [number, number, number, number]): FieldBox | null {
  const [a, b] = toCell(g, x0, y1), [c, d] = toCell(g, x1, y0), col = Math.max(0, Math.round(Math.min(a, c))), row = Math.max(0, Math.round(Math.min(b, d))), right = Math.min(g.width, Math.round(Math.max(a, c))), bottom = Math.min(g.height, Math.round(Math.max(b, d)));
  return right - col >= 3 && bottom - row >= 3 ? { col, row, width: Math.min(2000, right - col), height: Math.min(2000, bottom - row) } : null;
}

/** Nodes of a step for one scene, found again whenever the chain changes. */
export function useStepNodes(studyId: string, sceneId: string | null, step: string, chainKey: string) {
  return useQuery({ queryKey: ['stepNodes', studyId, sceneId, step, chainKey], queryFn: () => api<StepNodes>('POST', `/studies/${studyId}/prepare/nodes`, { sceneId, step }), enabled: !!sceneId, staleTime: Infinity, retry: false, placeholderData: (old) => old });
}
export const StepProblem = ({ error }: { error: unknown }) => <div className="m-auto mt-24 w-[440px]"><Problem>{sayError(error)}</Problem></div>;
