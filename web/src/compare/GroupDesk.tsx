import type { ReactNode } from "react";
import { Eye, EyeOff, Plus, X } from "lucide-react";
import type { ChangeSetup, Grouping } from "@hindglance/core/change/setup";
import type { GroupClass } from "@hindglance/core/graph/steps/groups";
import type { GroupFacts } from "../api/types";
import { km2, number } from "../lib/format";
import { CLASS_COLOURS, ColourChoice } from "./ColourChoice";
import { Button, Choice, Pick, Pop, Problem, inputStyle } from "../ui/controls";
import { NumberField } from "../ui/NumberField";

/** What a study that groups for the first time begins with. */
export const firstGrouping = (): Grouping => ({
  of: "differences",
  method: "kMeans",
  groups: 6,
  seed: 1,
  splitSpread: 1,
  mergeDistance: 0.8,
  leastShare: 0.01,
  classes: [{ label: 1, name: "Change", color: "#b85c1e", groups: [] }],
});
const OF: { value: Grouping["of"]; name: string; note: string }[] = [
  { value: "differences", name: "Differences", note: "after − before, all bands" },
  { value: "both", name: "Both dates", note: "all bands of both" },
  { value: "measure", name: "The measure", note: "one band" },
  { value: "after", name: "After", note: "all bands" },
  { value: "before", name: "Before", note: "all bands" },
];

interface Props {
  /** How classes come about; classes or limits below. */ head: ReactNode;
  lower: ReactNode;
  /** Whether the classes are asked for. */ classes: boolean;
  grouping: Grouping;
  facts: GroupFacts | null;
  error: string | null;
  seenM2: number | null;
  areas: Record<number, { areaM2: number }> | null;
  exact: boolean;
  hidden: ReadonlySet<number>;
  setHidden(readonlySet: ReadonlySet<number>): void;
  show: "groups" | "classes";
  setShow(value: "groups" | "classes"): void;
  change(apply: (setup: ChangeSetup) => ChangeSetup): void;
}

/**
 * Like cells in groups: how large each is, what it looks like on both dates, and which of them are
 * the change.
 */
export function GroupDesk({
  head,
  lower,
  classes: listed,
  grouping,
  facts,
  error,
  seenM2,
  areas,
  exact,
  hidden,
  setHidden,
  show,
  setShow,
  change,
}: Props) {
  const set = (found: Partial<Grouping>) =>
    change((setup) => ({ ...setup, groups: { ...setup.groups!, ...found } }));
  // Other groups carry other numbers: what was picked of the old ones says nothing of them.
  const regroup = (found: Partial<Grouping>) =>
    set({
      ...found,
      classes: grouping.classes.map((groupClass) => ({ ...groupClass, groups: [] })),
    });
  const classes = (apply: (c: GroupClass[]) => GroupClass[]) =>
    set({ classes: apply(grouping.classes) });
  const give = (group: number, label: number) =>
    classes((all) =>
      all.map((groupClass) => ({
        ...groupClass,
        groups:
          groupClass.label === label
            ? [...groupClass.groups.filter((x) => x !== group), group].sort((a, b) => a - b)
            : groupClass.groups.filter((x) => x !== group),
      })),
    );
  const of = (group: number) =>
    grouping.classes.find((groupClass) => groupClass.groups.includes(group));
  const span = facts ? spanOf(facts) : null;
  return (
    <>
      <section aria-label="Groups" className="border-b border-line px-4 py-2.5">
        <div className="mb-2 flex items-center justify-between gap-2">
          <Choice
            label="On the map"
            className="text-[12px]"
            value={show}
            onChange={setShow}
            options={[
              { value: "groups", name: "Show groups" },
              { value: "classes", name: "Classes" },
            ]}
          />
          {head}
        </div>
        <div className="mb-2 grid grid-cols-[1fr_auto_auto] items-center gap-2">
          <Pick
            label="Group by"
            value={grouping.of}
            onChange={(value) => regroup({ of: value })}
            options={OF}
          />
          <Choice
            label="Method"
            value={grouping.method}
            onChange={(method) => regroup({ method })}
            options={[
              { value: "kMeans", name: "k-means", hint: "Lloyd 1982, from a k-means++ start" },
              {
                value: "isodata",
                name: "ISODATA",
                hint: "Ball & Hall 1965: splits wide groups and merges near ones",
              },
            ]}
          />
          <span className="flex items-center gap-1" title="Number of groups">
            <NumberField
              label="Number of groups"
              decimals={0}
              step={1}
              min={2}
              max={24}
              value={grouping.groups}
              onCommit={(value) => regroup({ groups: Math.round(value) })}
            />
          </span>
        </div>
        {grouping.method === "isodata" && (
          <div className="mb-1 -mt-1 flex justify-end">
            <Pop
              label="ISODATA"
              width={290}
              trigger={
                <Button tone="quiet" className="h-6 px-1.5">
                  split, merge
                </Button>
              }
            >
              <p className="mb-2 text-soft">
                In standard deviations of each band. Twice as many groups as asked for are the most
                there can be.
              </p>
              <div className="mb-2 flex items-center justify-between">
                Split over a spread of
                <NumberField
                  label="Split over a spread of"
                  decimals={2}
                  step={0.1}
                  min={0.05}
                  max={10}
                  value={grouping.splitSpread}
                  onCommit={(splitSpread) => regroup({ splitSpread })}
                />
              </div>
              <div className="mb-2 flex items-center justify-between">
                Merge nearer than
                <NumberField
                  label="Merge nearer than"
                  decimals={2}
                  step={0.1}
                  min={0}
                  max={10}
                  value={grouping.mergeDistance}
                  onCommit={(mergeDistance) => regroup({ mergeDistance })}
                />
              </div>
              <div className="flex items-center justify-between">
                Smallest group, %
                <NumberField
                  label="Smallest group in per cent"
                  decimals={1}
                  step={0.5}
                  min={0}
                  max={20}
                  value={grouping.leastShare * 100}
                  onCommit={(value) => regroup({ leastShare: value / 100 })}
                />
              </div>
            </Pop>
          </div>
        )}
        {error ? (
          <Problem>{error}</Problem>
        ) : !facts ? (
          <p className="py-6 text-center text-soft">Grouping cells …</p>
        ) : (
          <ul aria-label="Groups found">
            {facts.groups.map((group) => {
              const off = hidden.has(group.group);
              const own = of(group.group);
              return (
                <li
                  key={group.group}
                  className="grid grid-cols-[22px_1fr_84px_96px] items-center gap-1.5 border-t border-line py-1 first:border-t-0"
                >
                  <button
                    type="button"
                    aria-label={`Group ${group.group} on the map`}
                    aria-pressed={!off}
                    title={off ? "Show on the map" : "Hide on the map"}
                    onClick={() => {
                      const n = new Set(hidden);
                      if (off) {
                        n.delete(group.group);
                      } else {
                        n.add(group.group);
                      }
                      setHidden(n);
                      setShow("groups");
                    }}
                    className="text-soft hover:text-ink"
                  >
                    {off ? <EyeOff size={15} aria-hidden /> : <Eye size={15} aria-hidden />}
                  </button>
                  <span className="flex items-center gap-2">
                    <span
                      className="h-3 w-3 shrink-0 rounded-[3px]"
                      style={{ background: group.color, opacity: off ? 0.3 : 1 }}
                      aria-hidden
                    />
                    <span className="leading-tight">
                      <span className="whitespace-nowrap">
                        <b className="mr-1.5 font-semibold">{group.group}</b>
                        <span className="font-mono text-[11.5px]">
                          {number(100 * group.share, 1)} %
                        </span>
                      </span>
                      {seenM2 && (
                        <span className="block whitespace-nowrap font-mono text-[11px] text-soft">
                          ≈{km2(group.share * seenM2)}
                        </span>
                      )}
                    </span>
                  </span>
                  <Curves facts={facts} group={group} span={span!} />
                  <Pick
                    label={`Class of group ${group.group}`}
                    className="h-7 w-[96px]"
                    value={String(own?.label ?? 0)}
                    onChange={(value) => give(group.group, Number(value))}
                    options={[
                      { value: "0", name: "–" },
                      ...grouping.classes.map((groupClass) => ({
                        value: String(groupClass.label),
                        name: groupClass.name,
                      })),
                    ]}
                  />
                </li>
              );
            })}
          </ul>
        )}
        {facts && (
          <p className="mt-1 text-label text-soft">
            Mean of each band, <span className="text-beforeink">before</span> and{" "}
            <span className="text-afterink">after</span>, in{" "}
            {facts.bands[0]?.unit || "their own numbers"}; counted on an overview.
            {hidden.size > 0 && (
              <button type="button" className="ml-1 underline" onClick={() => setHidden(new Set())}>
                Show all
              </button>
            )}
          </p>
        )}
      </section>
      {!listed ? (
        <div className="px-4 pt-2">{lower}</div>
      ) : (
        <section aria-label="Classes on the map" className="border-b border-line px-4 py-2">
          <div className="mb-0.5 flex items-center justify-between">
            {lower}
            <Button
              tone="quiet"
              className="h-6 px-1.5"
              disabled={grouping.classes.length >= 12}
              onClick={() =>
                classes((all) => {
                  const label = Math.max(0, ...all.map((groupClass) => groupClass.label)) + 1;
                  return [
                    ...all,
                    {
                      label,
                      name: `Class ${label}`,
                      color: CLASS_COLOURS[(label - 1) % CLASS_COLOURS.length]!,
                      groups: [],
                    },
                  ];
                })
              }
            >
              <Plus size={13} aria-hidden />
              Class
            </Button>
          </div>
          <ul>
            {grouping.classes.map((groupClass) => (
              <li
                key={groupClass.label}
                className="flex items-center gap-2 border-t border-line py-1.5 first:border-t-0"
              >
                <Pop
                  label={`Colour of ${groupClass.name}`}
                  width={250}
                  trigger={
                    <button
                      type="button"
                      aria-label={`Colour of ${groupClass.name}`}
                      className="h-3.5 w-3.5 shrink-0 rounded-[3px]"
                      style={{ background: groupClass.color }}
                    />
                  }
                >
                  <ColourChoice
                    value={groupClass.color}
                    onChange={(color) =>
                      classes((all) =>
                        all.map((x) => (x.label === groupClass.label ? { ...x, color } : x)),
                      )
                    }
                  />
                </Pop>
                <input
                  key={groupClass.name}
                  aria-label={`Name of class ${groupClass.label}`}
                  className={`${inputStyle} h-7 min-w-0 flex-1`}
                  maxLength={60}
                  defaultValue={groupClass.name}
                  onBlur={(e) => {
                    const name = e.target.value.trim();
                    if (name && name !== groupClass.name) {
                      classes((all) =>
                        all.map((x) => (x.label === groupClass.label ? { ...x, name } : x)),
                      );
                    }
                  }}
                  onKeyDown={(e) => {
                    if (e.key === "Enter") {
                      e.currentTarget.blur();
                    }
                  }}
                />
                <span className="w-[74px] text-right text-label text-soft">
                  {groupClass.groups.length
                    ? `group${groupClass.groups.length > 1 ? "s" : ""} ${groupClass.groups.join(", ")}`
                    : "no group"}
                </span>
                <span
                  className="w-[80px] text-right font-mono font-semibold"
                  aria-label={`Area of ${groupClass.name}`}
                >
                  {areas ? (
                    <>
                      {!exact && <span className="mr-0.5 text-soft">≈</span>}
                      {km2(areas[groupClass.label]?.areaM2 ?? 0)}
                    </>
                  ) : (
                    "–"
                  )}
                </span>
                <button
                  type="button"
                  aria-label={`Delete class ${groupClass.name}`}
                  disabled={grouping.classes.length === 1}
                  onClick={() => classes((all) => all.filter((x) => x.label !== groupClass.label))}
                  className="text-soft disabled:opacity-30"
                >
                  <X size={14} aria-hidden />
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}

const values = (groupFacts: GroupFacts): number[] =>
  groupFacts.groups
    .flatMap((group) => [...group.before, ...group.after])
    .filter((value): value is number => value !== null);
const spanOf = (groupFacts: GroupFacts): [number, number] => {
  const value = values(groupFacts);
  const lo = Math.min(...value);
  const hi = Math.max(...value);
  return hi > lo ? [lo, hi] : [lo - 1, hi + 1];
};
/** Means of a group's bands on both dates; all groups share one scale. */
function Curves({
  facts,
  group,
  span: [lo, hi],
}: {
  facts: GroupFacts;
  group: GroupFacts["groups"][0];
  span: [number, number];
}) {
  const width = 84;
  const height = 28;
  const n = facts.bands.length;
  const order = facts.bands
    .map((_b, k) => k)
    .sort((a, b) => (facts.bands[a]!.wavelengthNm ?? a) - (facts.bands[b]!.wavelengthNm ?? b));
  const x = (k: number) => (n > 1 ? 3 + (k / (n - 1)) * (width - 6) : width / 2);
  const y = (value: number) => height - 3 - ((value - lo) / (hi - lo)) * (height - 6);
  const drawn = (of: (number | null)[], colour: string) => {
    const point = order
      .map((b, k) => [x(k), of[b]] as const)
      .filter((corner): corner is readonly [number, number] => corner[1] !== null);
    return n > 1 ? (
      <polyline
        fill="none"
        stroke={colour}
        strokeWidth={1.5}
        points={point.map(([across, value]) => `${across},${y(value)}`).join(" ")}
      />
    ) : (
      point.map(([across, value]) => (
        <circle key={across} cx={across} cy={y(value)} r={3} fill={colour} />
      ))
    );
  };
  const said = (distance: (number | null)[]) =>
    order
      .map(
        (b) => `${facts.bands[b]!.name} ${distance[b] === null ? "none" : number(distance[b]!, 3)}`,
      )
      .join(", ");
  return (
    <svg
      width={width}
      height={height}
      role="img"
      aria-label={`Group ${group.group}: before ${said(group.before)}; after ${said(group.after)}`}
    >
      <title>{`before ${said(group.before)}\nafter ${said(group.after)}`}</title>
      <rect width={width} height={height} rx={4} fill="#efece4" />
      {drawn(group.before, "#3f6aa8")}
      {drawn(group.after, "#b9562b")}
    </svg>
  );
}
