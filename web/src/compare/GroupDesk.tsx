import type { ReactNode } from "react";
import { Eye, EyeOff, Plus, X } from "lucide-react";
import type { ChangeSetup, Grouping } from "@hindglance/core/change/setup";
import type { GroupClass } from "@hindglance/core/graph/steps/groups";
import type { GroupFacts } from "../api/types";
import { km2, number } from "../lib/format";
import { CLASS_COLOURS, ColourChoice } from "./ColourChoice";
import { Button, Choice, NumberField, Pick, Pop, Problem, inputStyle } from "../ui/controls";

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
  setHidden(s: ReadonlySet<number>): void;
  show: "groups" | "classes";
  setShow(v: "groups" | "classes"): void;
  change(f: (s: ChangeSetup) => ChangeSetup): void;
}

/**
 * Like cells in groups: how large each is, what it looks like on both dates, and which of them are
 * the change.
 */
export function GroupDesk({
  head,
  lower,
  classes: listed,
  grouping: g,
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
  const set = (f: Partial<Grouping>) => change((s) => ({ ...s, groups: { ...s.groups!, ...f } }));
  // Other groups carry other numbers: what was picked of the old ones says nothing of them.
  const regroup = (f: Partial<Grouping>) =>
    set({ ...f, classes: g.classes.map((c) => ({ ...c, groups: [] })) });
  const classes = (f: (c: GroupClass[]) => GroupClass[]) => set({ classes: f(g.classes) });
  const give = (group: number, label: number) =>
    classes((all) =>
      all.map((c) => ({
        ...c,
        groups:
          c.label === label
            ? [...c.groups.filter((x) => x !== group), group].sort((a, b) => a - b)
            : c.groups.filter((x) => x !== group),
      })),
    );
  const of = (group: number) => g.classes.find((c) => c.groups.includes(group));
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
          <Pick label="Group by" value={g.of} onChange={(v) => regroup({ of: v })} options={OF} />
          <Choice
            label="Method"
            value={g.method}
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
              value={g.groups}
              onCommit={(v) => regroup({ groups: Math.round(v) })}
            />
          </span>
        </div>
        {g.method === "isodata" && (
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
                  value={g.splitSpread}
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
                  value={g.mergeDistance}
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
                  value={g.leastShare * 100}
                  onCommit={(v) => regroup({ leastShare: v / 100 })}
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
            {facts.groups.map((x) => {
              const off = hidden.has(x.group);
              const own = of(x.group);
              return (
                <li
                  key={x.group}
                  className="grid grid-cols-[22px_1fr_84px_96px] items-center gap-1.5 border-t border-line py-1 first:border-t-0"
                >
                  <button
                    type="button"
                    aria-label={`Group ${x.group} on the map`}
                    aria-pressed={!off}
                    title={off ? "Show on the map" : "Hide on the map"}
                    onClick={() => {
                      const n = new Set(hidden);
                      if (off) {
                        n.delete(x.group);
                      } else {
                        n.add(x.group);
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
                      style={{ background: x.color, opacity: off ? 0.3 : 1 }}
                      aria-hidden
                    />
                    <span className="leading-tight">
                      <span className="whitespace-nowrap">
                        <b className="mr-1.5 font-semibold">{x.group}</b>
                        <span className="font-mono text-[11.5px]">
                          {number(100 * x.share, 1)} %
                        </span>
                      </span>
                      {seenM2 && (
                        <span className="block whitespace-nowrap font-mono text-[11px] text-soft">
                          ≈{km2(x.share * seenM2)}
                        </span>
                      )}
                    </span>
                  </span>
                  <Curves facts={facts} group={x} span={span!} />
                  <Pick
                    label={`Class of group ${x.group}`}
                    className="h-7 w-[96px]"
                    value={String(own?.label ?? 0)}
                    onChange={(v) => give(x.group, Number(v))}
                    options={[
                      { value: "0", name: "–" },
                      ...g.classes.map((c) => ({ value: String(c.label), name: c.name })),
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
              disabled={g.classes.length >= 12}
              onClick={() =>
                classes((all) => {
                  const label = Math.max(0, ...all.map((c) => c.label)) + 1;
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
            {g.classes.map((c) => (
              <li
                key={c.label}
                className="flex items-center gap-2 border-t border-line py-1.5 first:border-t-0"
              >
                <Pop
                  label={`Colour of ${c.name}`}
                  width={250}
                  trigger={
                    <button
                      type="button"
                      aria-label={`Colour of ${c.name}`}
                      className="h-3.5 w-3.5 shrink-0 rounded-[3px]"
                      style={{ background: c.color }}
                    />
                  }
                >
                  <ColourChoice
                    value={c.color}
                    onChange={(color) =>
                      classes((all) => all.map((x) => (x.label === c.label ? { ...x, color } : x)))
                    }
                  />
                </Pop>
                <input
                  key={c.name}
                  aria-label={`Name of class ${c.label}`}
                  className={`${inputStyle} h-7 min-w-0 flex-1`}
                  maxLength={60}
                  defaultValue={c.name}
                  onBlur={(e) => {
                    const name = e.target.value.trim();
                    if (name && name !== c.name) {
                      classes((all) => all.map((x) => (x.label === c.label ? { ...x, name } : x)));
                    }
                  }}
                  onKeyDown={(e) => {
                    if (e.key === "Enter") {
                      e.currentTarget.blur();
                    }
                  }}
                />
                <span className="w-[74px] text-right text-label text-soft">
                  {c.groups.length
                    ? `group${c.groups.length > 1 ? "s" : ""} ${c.groups.join(", ")}`
                    : "no group"}
                </span>
                <span
                  className="w-[80px] text-right font-mono font-semibold"
                  aria-label={`Area of ${c.name}`}
                >
                  {areas ? (
                    <>
                      {!exact && <span className="mr-0.5 text-soft">≈</span>}
                      {km2(areas[c.label]?.areaM2 ?? 0)}
                    </>
                  ) : (
                    "–"
                  )}
                </span>
                <button
                  type="button"
                  aria-label={`Delete class ${c.name}`}
                  disabled={g.classes.length === 1}
                  onClick={() => classes((all) => all.filter((x) => x.label !== c.label))}
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

const values = (f: GroupFacts): number[] =>
  f.groups.flatMap((g) => [...g.before, ...g.after]).filter((v): v is number => v !== null);
const spanOf = (f: GroupFacts): [number, number] => {
  const v = values(f);
  const lo = Math.min(...v);
  const hi = Math.max(...v);
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
  const W = 84;
  const H = 28;
  const n = facts.bands.length;
  const order = facts.bands
    .map((_b, k) => k)
    .sort((a, b) => (facts.bands[a]!.wavelengthNm ?? a) - (facts.bands[b]!.wavelengthNm ?? b));
  const x = (k: number) => (n > 1 ? 3 + (k / (n - 1)) * (W - 6) : W / 2);
  const y = (v: number) => H - 3 - ((v - lo) / (hi - lo)) * (H - 6);
  const drawn = (of: (number | null)[], colour: string) => {
    const p = order
      .map((b, k) => [x(k), of[b]] as const)
      .filter((q): q is readonly [number, number] => q[1] !== null);
    return n > 1 ? (
      <polyline
        fill="none"
        stroke={colour}
        strokeWidth={1.5}
        points={p.map(([u, v]) => `${u},${y(v)}`).join(" ")}
      />
    ) : (
      p.map(([u, v]) => <circle key={u} cx={u} cy={y(v)} r={3} fill={colour} />)
    );
  };
  const said = (d: (number | null)[]) =>
    order
      .map((b) => `${facts.bands[b]!.name} ${d[b] === null ? "none" : number(d[b]!, 3)}`)
      .join(", ");
  return (
    <svg
      width={W}
      height={H}
      role="img"
      aria-label={`Group ${group.group}: before ${said(group.before)}; after ${said(group.after)}`}
    >
      <title>{`before ${said(group.before)}\nafter ${said(group.after)}`}</title>
      <rect width={W} height={H} rx={4} fill="#efece4" />
      {drawn(group.before, "#3f6aa8")}
      {drawn(group.after, "#b9562b")}
    </svg>
  );
}
