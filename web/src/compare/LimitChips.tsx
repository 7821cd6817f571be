import { Plus, X } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import type { ChangeSetup, Limits } from '@hindglance/core/change/setup';
import { number } from '../lib/format';
import { Button, Chip, Choice, NumberField, Pop } from '../ui/controls';

interface Props { limits: Limits; cellM2: number; hasArea: boolean; hasElevation: boolean; change(f: (s: ChangeSetup) => ChangeSetup): void }

/** Conditions that keep or drop cells of the map, in the order in which they are applied. */
export function LimitChips({ limits, cellM2, hasArea, hasElevation, change }: Props) {
  const set = (l: Partial<Limits>) => change((s) => ({ ...s, limits: { ...s.limits, ...l } }));
  const ha = (limits.minPatchCells ?? 0) * cellM2 / 1e4;
  const missing: [string, () => void][] = [
    ...(!limits.studyArea && hasArea ? [['Inside study area', () => set({ studyArea: true })] as [string, () => void]] : []),
    ...(limits.maxSlopeDeg === null && hasElevation ? [['Slope', () => set({ maxSlopeDeg: 5 })] as [string, () => void]] : []),
    ...(!limits.majorityCells ? [['Majority', () => set({ majorityCells: 3 })] as [string, () => void]] : []),
    ...(!limits.holeCells ? [['Holes', () => set({ holeCells: Math.max(1, Math.round(2500 / cellM2)) })] as [string, () => void]] : []),
    ...(limits.minPatchCells === null ? [['Minimum patch', () => set({ minPatchCells: Math.max(2, Math.round(5000 / cellM2)) })] as [string, () => void]] : []),
  ];
  const remove = (f: Partial<Limits>) => <div className="mt-3 flex justify-end"><Button onClick={() => set(f)}><X size={13} aria-hidden />Take away</Button></div>;
  return (
    <section aria-label="Keep only where" className="px-4 py-2">
      <h2 className="mb-1.5 text-label text-soft">Keep only where</h2>
      <div className="flex flex-wrap gap-1.5">
        {limits.studyArea && <Pop label="Study area" trigger={<Chip>inside study area</Chip>}><p>Cells whose centre lies outside the study area are not counted at all.</p>{remove({ studyArea: false })}</Pop>}
        <Pop label="Seen on both dates" trigger={<Chip>seen on both dates{limits.seenMarginCells > 0 ? `, ${limits.seenMarginCells} cells in` : ''}</Chip>}>
          <p className="mb-2">What only one date shows is never change. Filters make cells beside a frame edge unsure: stay this far away from it.</p>
          <span className="flex items-center gap-2">Margin <NumberField label="Margin in cells" value={limits.seenMarginCells} decimals={0} step={1} min={0} max={64} onCommit={(v) => set({ seenMarginCells: Math.round(v) })} /> cells</span>
        </Pop>
        {limits.maxSlopeDeg !== null && <Pop label="Slope" trigger={<Chip>slope ≤ {number(limits.maxSlopeDeg, limits.maxSlopeDeg % 1 ? 1 : 0)}°</Chip>}>
          <p className="mb-2">Water lies flat. Dark hillsides in shadow are dropped; where there is no elevation nothing is.</p>
          <span className="flex items-center gap-2">At most <NumberField label="Slope in degrees" value={limits.maxSlopeDeg} min={0.1} max={90} step={0.5} onCommit={(v) => set({ maxSlopeDeg: v })} /> °</span>{remove({ maxSlopeDeg: null })}
        </Pop>}
        {!!limits.majorityCells && <Pop label="Majority" trigger={<Chip>majority of {limits.majorityCells} × {limits.majorityCells}</Chip>}>
          <p className="mb-2">Each cell takes the class that is most frequent in the window around it; of equal ones its own.</p>
          <Choice label="Window" value={String(limits.majorityCells)} onChange={(v) => set({ majorityCells: Number(v) })} options={['3', '5', '7', '9'].map((v) => ({ value: v, name: `${v} × ${v}` }))} />{remove({ majorityCells: null })}
        </Pop>}
        {!!limits.holeCells && <Pop label="Holes" width={300} trigger={<Chip>holes ≤ {number((limits.holeCells * cellM2) / 1e4, 2)} ha filled</Chip>}>
          <p className="mb-2">Ground of no class that a class encloses on all sides takes that class. What touches the edge or nodata stays.</p>
          <span className="flex items-center gap-2">Up to <NumberField label="Hole size in hectares" value={(limits.holeCells * cellM2) / 1e4} decimals={2} step={cellM2 / 1e4} min={cellM2 / 1e4} max={1e5} onCommit={(v) => set({ holeCells: Math.max(1, Math.round((v * 1e4) / cellM2)) })} /> ha = {number(limits.holeCells)} cells</span>{remove({ holeCells: null })}
        </Pop>}
        {limits.minPatchCells !== null && <Pop label="Minimum patch" width={300} trigger={<Chip>patch ≥ {number(ha, 2)} ha, {limits.neighbours}-neighbour</Chip>}>
          <p className="mb-2">Smaller patches take the class most frequent along their border.</p>
          <span className="mb-2 flex items-center gap-2">At least <NumberField label="Patch size in hectares" value={ha} decimals={2} step={cellM2 / 1e4} min={(2 * cellM2) / 1e4} max={1e5} onCommit={(v) => set({ minPatchCells: Math.max(2, Math.round((v * 1e4) / cellM2)) })} /> ha = {number(limits.minPatchCells)} cells</span>
          <Choice label="Neighbours" value={String(limits.neighbours) as '4' | '8'} onChange={(v) => set({ neighbours: Number(v) as 4 | 8 })} options={[{ value: '4', name: '4: sides only' }, { value: '8', name: '8: corners too' }]} />{remove({ minPatchCells: null })}
        </Pop>}
        {missing.length > 0 && (
          <DropdownMenu.Root>
            <DropdownMenu.Trigger asChild><Chip className="border-dashed text-spruce"><Plus size={12} aria-hidden />limit</Chip></DropdownMenu.Trigger>
            <DropdownMenu.Portal><DropdownMenu.Content sideOffset={4} className="z-50 min-w-40 rounded-card border border-line bg-white py-1 shadow-lg">{missing.map(([name, f]) => <DropdownMenu.Item key={name} onSelect={f} className="cursor-pointer px-3 py-1.5 outline-none data-[highlighted]:bg-bone">{name}</DropdownMenu.Item>)}</DropdownMenu.Content></DropdownMenu.Portal>
          </DropdownMenu.Root>
        )}
      </div>
    </section>
  );
}
