import type { ReactNode } from "react";
import { Plus, X } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { DRAINAGE_KM2 } from "@hindglance/core/change/build";
import type { ChangeSetup, LimitName, Limits } from "@hindglance/core/change/setup";
import type { LimitEffect } from "@hindglance/core/tally/effects";
import type { Scene } from "../api/types";
import { dayYear, number } from "../lib/format";
import { Button, Chip, Choice, Pick, Pop } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { type LayerUnit, withUnit } from "./units";

/**
 * `found`: what each limit did to the map as it stands; null until it is counted. `others`: dates
 * besides the pair that can tell what stands there anyway.
 */
interface Props {
  head: ReactNode;
  limits: Limits;
  cellM2: number;
  hasArea: boolean;
  hasElevation: boolean;
  hasHidden: boolean;
  hasCloud: boolean;
  byRules: boolean;
  classes: { label: number; name: string }[];
  others: readonly Scene[];
  unit: LayerUnit;
  start: { op: "<" | ">"; value: number };
  found: readonly LimitEffect[] | null;
  change(apply: (setup: ChangeSetup) => ChangeSetup): void;
}

/** How many limits are set. */
export const limitCount = (limits: Limits): number =>
  1 +
  [
    limits.studyArea,
    limits.cloud,
    limits.hidden,
    limits.elevationM,
    limits.maxSlopeDeg !== null,
    limits.drainage,
    limits.standing,
    limits.majorityCells,
    limits.holeCells,
    limits.minPatchCells !== null,
  ].filter(Boolean).length;

const decimals = (value: number) => (value % 1 ? 1 : 0);

/**
 * Conditions that keep or drop cells of the map, in the order in which they are applied, with what
 * each does.
 */
export function LimitList({
  head,
  limits,
  cellM2,
  hasArea,
  hasElevation,
  hasHidden,
  hasCloud,
  byRules,
  classes,
  others,
  unit,
  start,
  found,
  change,
}: Props) {
  const set = (level: Partial<Limits>) =>
    change((setup) => ({ ...setup, limits: { ...setup.limits, ...level } }));
  const ha = (cells: number) => (cells * cellM2) / 1e4;
  const remove = (field: Partial<Limits>) => (
    <div className="mt-3 flex justify-end">
      <Button onClick={() => set(field)}>
        <X size={13} aria-hidden />
        Take away
      </Button>
    </div>
  );
  const neighbours = (
    <Choice
      label="Neighbours"
      value={String(limits.neighbours) as "4" | "8"}
      onChange={(value) => set({ neighbours: Number(value) as 4 | 8 })}
      options={[
        { value: "4", name: "4: sides only" },
        { value: "8", name: "8: corners too" },
      ]}
    />
  );
  const { elevationM: z, drainage, standing } = limits;
  const rows: { name: LimitName; text: string; body: ReactNode }[] = [];
  rows.push({
    name: "seen",
    text: `seen on both dates${limits.seenMarginCells > 0 ? `, ${limits.seenMarginCells} cells in` : ""}`,
    body: (
      <>
        <p className="mb-2">
          What only one date shows is never change. Filters make cells beside a frame edge unsure:
          stay this far away from it.
        </p>
        <span className="flex items-center gap-2">
          Margin{" "}
          <NumberField
            label="Margin in cells"
            value={limits.seenMarginCells}
            decimals={0}
            step={1}
            min={0}
            max={64}
            onCommit={(value) => set({ seenMarginCells: Math.round(value) })}
          />{" "}
          cells
        </span>
      </>
    ),
  });
  if (limits.studyArea) {
    rows.push({
      name: "studyArea",
      text: "inside study area",
      body: (
        <>
          <p>Cells whose centre lies outside the study area are not counted at all.</p>
          {remove({ studyArea: false })}
        </>
      ),
    });
  }
  if (limits.cloud) {
    rows.push({
      name: "cloud",
      text: "no cloud or its shadow",
      body: (
        <>
          <p>
            Classes are dropped where the quality band of either date says cloud, its rim, cirrus or
            cloud shadow.
          </p>
          {remove({ cloud: null })}
        </>
      ),
    });
  }
  if (limits.hidden) {
    rows.push({
      name: "hidden",
      text: "no layover or shadow",
      body: (
        <>
          <p>
            Classes are dropped where mountains hide the ground from the radar on either date, as
            Terrain in Prepare finds it.
          </p>
          {remove({ hidden: null })}
        </>
      ),
    });
  }
  if (z) {
    rows.push({
      name: "elevation",
      text: `elevation ${z.min !== null ? `≥ ${number(z.min)} m` : ""}${z.min !== null && z.max !== null ? ", " : ""}${z.max !== null ? `≤ ${number(z.max)} m` : ""}${z.min === null && z.max === null ? "without ends" : ""}`,
      body: (
        <>
          <p className="mb-2">Classes are dropped on lower and on higher ground.</p>
          <End
            label="From"
            value={z.min}
            onCommit={(min) => set({ elevationM: { ...z, min } })}
            max={z.max ?? undefined}
          />
          <End
            label="To"
            value={z.max}
            onCommit={(max) => set({ elevationM: { ...z, max } })}
            min={z.min ?? undefined}
          />
          {remove({ elevationM: null })}
        </>
      ),
    });
  }
  if (limits.maxSlopeDeg !== null) {
    rows.push({
      name: "slope",
      text: `slope ≤ ${number(limits.maxSlopeDeg, decimals(limits.maxSlopeDeg))}°`,
      body: (
        <>
          <p className="mb-2">
            Water lies flat. Dark hillsides in shadow are dropped; where there is no elevation
            nothing is.
          </p>
          <span className="flex items-center gap-2">
            At most{" "}
            <NumberField
              label="Slope in degrees"
              value={limits.maxSlopeDeg}
              min={0.1}
              max={90}
              step={0.5}
              onCommit={(value) => set({ maxSlopeDeg: value })}
            />{" "}
            °
          </span>
          {remove({ maxSlopeDeg: null })}
        </>
      ),
    });
  }
  if (drainage) {
    rows.push({
      name: "drainage",
      text: `≤ ${number(drainage.maxM, decimals(drainage.maxM))} m above drainage`,
      body: (
        <>
          <p className="mb-2">
            Height of the ground above the water that it drains to, from the elevation. Floods reach
            what lies low over a river, however high the river is.
          </p>
          <span className="mb-2 flex items-center gap-2">
            At most{" "}
            <NumberField
              label="Metres above drainage"
              value={drainage.maxM}
              min={0}
              max={9000}
              step={1}
              onCommit={(maxM) => set({ drainage: { ...drainage, maxM } })}
            />{" "}
            m
          </span>
          <span className="flex items-center gap-2">
            A river drains{" "}
            <NumberField
              label="Area that makes a river, square kilometres"
              value={drainage.leastKm2}
              decimals={2}
              min={0.01}
              max={100_000}
              step={0.5}
              onCommit={(leastKm2) => set({ drainage: { ...drainage, leastKm2 } })}
            />{" "}
            km² or more
          </span>
          {remove({ drainage: null })}
        </>
      ),
    });
  }
  if (standing) {
    rows.push({
      name: "standing",
      text: `not so on ${standing.sceneIds.length} other ${standing.sceneIds.length === 1 ? "date" : "dates"}`,
      body: (
        <>
          <p className="mb-2">
            Cells of a class leave where all of these dates that show the place are{" "}
            {standing.op === "<" ? "below" : "above"} the value as well: water that stands there
            anyway.
          </p>
          <div className="mb-2 flex flex-wrap gap-1.5">
            {others.map((other) => {
              const on = standing.sceneIds.includes(other.id);
              return (
                <Chip
                  key={other.id}
                  on={on}
                  aria-pressed={on}
                  onClick={() => {
                    const ids = on
                      ? standing.sceneIds.filter((id) => id !== other.id)
                      : [...standing.sceneIds, other.id];
                    if (ids.length) {
                      set({ standing: { ...standing, sceneIds: ids } });
                    }
                  }}
                >
                  {dayYear(other.acquiredAt!)}
                </Chip>
              );
            })}
          </div>
          <span className="mb-2 flex items-center gap-2">
            <Choice
              label="Side"
              value={standing.op}
              onChange={(op) => set({ standing: { ...standing, op } })}
              options={[
                { value: "<", name: "below" },
                { value: ">", name: "above" },
              ]}
            />
            <NumberField
              label="Value on the other dates"
              decimals={unit.decimals}
              step={unit.step}
              value={standing.value}
              min={-1e4}
              max={1e4}
              onCommit={(value) => set({ standing: { ...standing, value } })}
            />
            {withUnit("", unit)}
          </span>
          <span className="flex items-center gap-2">
            Drops{" "}
            <Pick
              label="Class that is dropped"
              className="w-[170px]"
              value={String(standing.label)}
              onChange={(value) => set({ standing: { ...standing, label: Number(value) } })}
              options={classes.map((c) => ({ value: String(c.label), name: c.name }))}
            />
          </span>
          {remove({ standing: null })}
        </>
      ),
    });
  }
  if (limits.majorityCells) {
    rows.push({
      name: "majority",
      text: `majority of ${limits.majorityCells} × ${limits.majorityCells}`,
      body: (
        <>
          <p className="mb-2">
            Each cell takes the class that is most frequent in the window around it; of equal ones
            its own.
          </p>
          <Choice
            label="Window"
            value={String(limits.majorityCells)}
            onChange={(value) => set({ majorityCells: Number(value) })}
            options={["3", "5", "7", "9"].map((value) => ({
              value,
              name: `${value} × ${value}`,
            }))}
          />
          {remove({ majorityCells: null })}
        </>
      ),
    });
  }
  if (limits.holeCells) {
    rows.push({
      name: "holes",
      text: `holes ≤ ${number(ha(limits.holeCells), 2)} ha filled`,
      body: (
        <>
          <p className="mb-2">
            Ground of no class that a class encloses on all sides takes that class. What touches the
            edge or nodata stays.
          </p>
          <span className="flex items-center gap-2">
            Up to{" "}
            <NumberField
              label="Hole size in hectares"
              value={ha(limits.holeCells)}
              decimals={2}
              step={ha(1)}
              min={ha(1)}
              max={1e5}
              onCommit={(value) =>
                set({ holeCells: Math.max(1, Math.round((value * 1e4) / cellM2)) })
              }
            />{" "}
            ha = {number(limits.holeCells)} cells
          </span>
          <div className="mt-2">{neighbours}</div>
          {remove({ holeCells: null })}
        </>
      ),
    });
  }
  if (limits.minPatchCells !== null) {
    rows.push({
      name: "minimumPatch",
      text: `patch ≥ ${number(ha(limits.minPatchCells), 2)} ha`,
      body: (
        <>
          <p className="mb-2">Smaller patches take the class most frequent along their border.</p>
          <span className="mb-2 flex items-center gap-2">
            At least{" "}
            <NumberField
              label="Patch size in hectares"
              value={ha(limits.minPatchCells)}
              decimals={2}
              step={ha(1)}
              min={ha(2)}
              max={1e5}
              onCommit={(value) =>
                set({ minPatchCells: Math.max(2, Math.round((value * 1e4) / cellM2)) })
              }
            />{" "}
            ha = {number(limits.minPatchCells)} cells
          </span>
          {neighbours}
          {remove({ minPatchCells: null })}
        </>
      ),
    });
  }

  const missing: [string, boolean, () => void][] = [
    ["Inside study area", !limits.studyArea && hasArea, () => set({ studyArea: true })],
    ["Cloud", !limits.cloud && hasCloud, () => set({ cloud: true })],
    ["Layover and shadow", !limits.hidden && hasHidden, () => set({ hidden: true })],
    ["Elevation", !z && hasElevation, () => set({ elevationM: { min: null, max: 100 } })],
    ["Slope", limits.maxSlopeDeg === null && hasElevation, () => set({ maxSlopeDeg: 5 })],
    [
      "Height above drainage",
      !drainage && hasElevation,
      () => set({ drainage: { maxM: 15, leastKm2: DRAINAGE_KM2 } }),
    ],
    [
      "Not so on other dates",
      !standing && others.length > 0 && classes.length > 0,
      () =>
        set({
          standing: {
            sceneIds: others.slice(0, 16).map((other) => other.id),
            ...start,
            label: classes[0]!.label,
          },
        }),
    ],
    ["Majority", !limits.majorityCells, () => set({ majorityCells: 3 })],
    ["Holes", !limits.holeCells, () => set({ holeCells: Math.max(1, Math.round(2500 / cellM2)) })],
    [
      "Minimum patch",
      limits.minPatchCells === null,
      () => set({ minPatchCells: Math.max(2, Math.round(5000 / cellM2)) }),
    ],
  ];
  const open = missing.filter(([, offered]) => offered);
  return (
    <section aria-label="Keep only where" className="px-4 py-2">
      <div className="mb-1 flex items-center justify-between">
        {head ?? <h2 className="text-label text-soft">Limits</h2>}
        {open.length > 0 && (
          <DropdownMenu.Root modal={false}>
            <DropdownMenu.Trigger asChild>
              <Button tone="quiet" className="h-6 px-1.5">
                <Plus size={12} aria-hidden />
                Limit
              </Button>
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content
                sideOffset={4}
                align="end"
                className="z-50 min-w-40 rounded-card border border-line bg-white py-1 shadow-lg"
              >
                {open.map(([name, , apply]) => (
                  <DropdownMenu.Item
                    key={name}
                    onSelect={apply}
                    className="cursor-pointer px-3 py-1.5 outline-none data-[highlighted]:bg-bone"
                  >
                    {name}
                  </DropdownMenu.Item>
                ))}
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        )}
      </div>
      <p className="mb-1 text-label text-soft">
        Kept only where, in this order, and what each takes.
      </p>
      <ol>
        {rows.map((row, k) => {
          const effect = found?.find((x) => x.name === row.name);
          const quiet = !byRules && (row.name === "seen" || row.name === "studyArea");
          return (
            <li key={row.name} className="flex min-h-[25px] items-center gap-2">
              <span className="w-3 text-right font-mono text-[11px] text-soft" aria-hidden>
                {k + 1}
              </span>
              <Pop
                label={row.text}
                width={300}
                trigger={<Chip className="h-[22px]">{row.text}</Chip>}
              >
                {row.body}
              </Pop>
              <span className="ml-auto whitespace-nowrap font-mono text-[11.5px] text-soft">
                {quiet ? "" : effect ? <Effect e={effect} /> : "…"}
              </span>
            </li>
          );
        })}
      </ol>
    </section>
  );
}

/** What a limit took and gave; cells in the title. */
function Effect({ e: effect }: { e: LimitEffect }) {
  const km = (m2: number) => number(m2 / 1e6, m2 < 1e7 ? 2 : 1);
  const said = (sign: string, cells: number, m2: number) =>
    m2 < 5000
      ? `${sign}${number(cells)} ${cells === 1 ? "cell" : "cells"}`
      : `${sign}${km(m2)} km²`;
  return (
    <span
      title={`${number(effect.droppedCells)} cells lost their class, ${number(effect.addedCells)} were given one`}
    >
      {effect.droppedCells === 0 && effect.addedCells === 0 ? (
        "nothing"
      ) : (
        <>
          {effect.droppedCells > 0 && said("−", effect.droppedCells, effect.droppedM2)}
          {effect.droppedCells > 0 && effect.addedCells > 0 && " "}
          {effect.addedCells > 0 && said("+", effect.addedCells, effect.addedM2)}
        </>
      )}
    </span>
  );
}

/** One end of a range of heights, which can be left open. */
function End({
  label,
  value,
  min = -500,
  max = 9000,
  onCommit,
}: {
  label: string;
  value: number | null;
  min?: number | undefined;
  max?: number | undefined;
  onCommit(eachValue: number | null): void;
}) {
  return (
    <div className="mb-1.5 flex items-center justify-between gap-2">
      <span className="w-12">{label}</span>
      {value === null ? (
        <span className="text-soft">no end</span>
      ) : (
        <span>
          <NumberField
            label={`${label}, metres`}
            decimals={0}
            step={10}
            value={value}
            min={min}
            max={max}
            onCommit={onCommit}
          />{" "}
          m
        </span>
      )}
      <Button
        className="h-7"
        onClick={() =>
          onCommit(value === null ? Math.max(min, Math.min(max, label === "From" ? 0 : 100)) : null)
        }
      >
        {value === null ? "Set" : "Open"}
      </Button>
    </div>
  );
}
