import { familyOfChain, STEPS_OF } from '../prepare/chainState';
import type { Condition } from '@hindglance/core/change/rules';
import type { ChangeMap, SceneRecord } from '../api/types';
import { dayYear, number, time } from '../lib/format';
import type { ReactNode } from 'react';
import { STEP_WORDS, settingText } from '../prepare/steps';

const WORD: Record<string, string> = { measure: 'change' }, SIGN: Record<string, string> = { '<=': '≤', '>=': '≥' };
export const sentence = (all: Condition[], unit = 'dB'): string => all.map((c) => `${WORD[c.layer] ?? c.layer} ${SIGN[c.op] ?? c.op} ${number(c.value, unit === 'dB' || c.layer === 'slope' || c.layer === 'elevation' ? 1 : 2)}${c.layer === 'slope' ? '°' : c.layer === 'elevation' ? ' m' : unit ? ` ${unit}` : ''}`).join(' and ');

/** What a map was made from: recalled under every table, so that the table can be defended. */
export function Inputs({ map }: { map: ChangeMap }) {
  const p = map.provenance, s = map.setup, l = s.limits;
  const scene = (r: SceneRecord) => <>{r.name}{r.acquiredAt ? `, ${dayYear(r.acquiredAt)} ${time(r.acquiredAt)}` : ''}{r.band ? `, ${r.band}` : ''} <span className="block truncate font-mono text-[11px] text-soft" title={`${r.file}\nSHA-256 ${r.sha256}`}>{r.sha256.slice(0, 8)}… {r.file}</span></>;
  const limits = [p.studyAreaSha256 && l.studyArea ? 'inside study area' : null, `seen on both dates, ${l.seenMarginCells} cells in`, l.maxSlopeDeg !== null ? `slope ≤ ${number(l.maxSlopeDeg, 1)}°` : null, l.majorityCells ? `majority of ${l.majorityCells} × ${l.majorityCells}` : null, l.holeCells ? `holes up to ${l.holeCells} cells filled` : null, l.minPatchCells !== null ? `patch ≥ ${l.minPatchCells} cells, ${l.neighbours}-neighbour` : null].filter(Boolean).join(' · ');
  const filter = s.speckle.filter === 'none' ? 'no speckle filter' : `${s.speckle.filter === 'lee' ? `Lee ${s.speckle.windowCells} × ${s.speckle.windowCells}` : 'refined Lee 7 × 7'}, ${number(s.speckle.looks, 1)} looks`;
  const sides = [['before', p.prepared?.before], ['after', p.prepared?.after]] as const, alike = JSON.stringify(p.prepared?.before?.chain) === JSON.stringify(p.prepared?.after?.chain);
  const prepared = sides.flatMap(([name, x]) => (x && !(alike && name === 'after') ? [<div key={name}>{!alike && <b className="font-medium">{name}: </b>}{STEPS_OF[familyOfChain(x.chain)].filter((k) => x.chain[k]!.on).map((k) => `${STEP_WORDS[familyOfChain(x.chain)][k]!.name.toLowerCase()} ${settingText(familyOfChain(x.chain), x.chain, k)}`).join(' · ')}</div>] : []));
  const rows: [string, ReactNode][] = [
    ['Before', scene(p.before)], ['After', scene(p.after)], ...(p.elevation ? [['Elevation', scene(p.elevation)] as [string, ReactNode]] : []), ...(p.zones ? [['Zones', <>{p.zones.name} <span className="block truncate font-mono text-[11px] text-soft" title={`${p.zones.file}\nSHA-256 ${p.zones.sha256}`}>{p.zones.sha256.slice(0, 8)}… {p.zones.file}</span></>] as [string, ReactNode]] : []),
    ...(prepared.length ? [['Prepared', <>{prepared}{sides.map(([name, x]) => x && familyOfChain(x.chain) === 'radar' && <div key={`o${name}`} className="truncate font-mono text-[11px] text-soft" title={x.orbit ? `${x.orbit.file}\nSHA-256 ${x.orbit.sha256}` : undefined}>{name}: {x.orbit ? `${x.orbit.kind} orbit ${x.orbit.sha256.slice(0, 8)}…` : 'own orbit'}</div>)}</>] as [string, ReactNode]] : []),
    ['Measure', `${{ logRatio: 'log ratio', difference: (p.unit ?? 'dB') === 'dB' ? 'difference of decibels' : 'difference, after − before', indexLoss: 'index loss, before − after', relativeLoss: 'relative index loss, (before − after) ÷ √|before|', relativeChange: 'relative change, (after − before) ÷ |before|', decibelQuotient: 'quotient of decibels, after ÷ before' }[s.measure]}${(p.unit ?? 'dB') === 'dB' ? `; ${filter}` : ''}`],
    ['Rules', <>{s.rules.map((r) => <div key={r.label}><b className="font-medium">{r.name}</b>: {sentence(r.all, p.unit)}</div>)}</>], ['Limits', limits], ['Grid', p.grid],
    ['Written', `${dayYear(p.writtenAt)} ${time(p.writtenAt)} by ${p.program}`], ['Identity', <span className="break-all font-mono text-[11px]">{p.nodeHash}</span>],
  ];
  return <dl className="grid grid-cols-[76px_1fr] gap-x-3 gap-y-1.5">{rows.map(([k, v]) => <div key={k} className="contents"><dt className="text-soft">{k}</dt><dd className="min-w-0">{v}</dd></div>)}</dl>;
}
