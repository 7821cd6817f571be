import type { ReactNode } from "react";
import { Link } from "react-router";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import {
  type Transitions,
  type TransitionsShown,
  classesOfTransitions,
} from "@hindglance/core/change/transitions";
import { changesOf } from "@hindglance/core/cover/coverClass";
import type { Scene } from "../../api/types";
import { Choice } from "../../ui/Choice";
import { Pick } from "../../ui/Pick";
import { ClassArea } from "../ClassArea";
import { counting, shownAs } from "./transitions";

interface Props {
  studyId: string;
  /** How classes come about; classes or limits below. */
  head: ReactNode;
  lower: ReactNode;
  /** Whether the classes are asked for. */
  classes: boolean;
  transitions: Transitions;
  /** Classified scenes of the study. */
  covers: readonly Scene[];
  areas: Record<number, { areaM2: number }> | null;
  exact: boolean;
  change(apply: (setup: ChangeSetup) => ChangeSetup): void;
}

/** What the classes of a from–to map come from, and which transitions count as change. */
export function TransitionDesk(props: Props) {
  const { studyId, head, lower, transitions, covers, change } = props;
  const nameOf = (id: string) =>
    covers.find((scene) => scene.id === id)?.name ?? "not in the study";
  return (
    <>
      <section aria-label="From–to" className="border-b border-line px-4 py-2.5">
        <div className="mb-2 flex items-center justify-between gap-2">
          <h2 className="font-semibold">From–to</h2>
          {head}
        </div>
        <p>
          {nameOf(transitions.beforeId)} → {nameOf(transitions.afterId)}
        </p>
        <p className="mb-2 text-label text-soft">
          {transitions.classes.length} classes in common.{" "}
          <Link className="underline" to={`/studies/${studyId}/tally?of=cover`}>
            Pair them in Tally
          </Link>
        </p>
        <Choice<TransitionsShown>
          label="Classes of the map"
          className="text-[12px]"
          value={transitions.show}
          onChange={(show) => change(shownAs(show))}
          options={[
            { value: "transition", name: "By transition", hint: "What it was and what it became" },
            { value: "initial", name: "By what it was" },
            { value: "changed", name: "Changed", hint: "Changed or not, whatever it became" },
          ]}
        />
      </section>
      {props.classes ? <Kept {...props} head={lower} /> : <div className="px-4 pt-2">{lower}</div>}
    </>
  );
}

const largestFirst = <T extends { label: number }>(
  all: T[],
  areas: Record<number, { areaM2: number }> | null,
): T[] => {
  const areaOf = ({ label }: T) => areas?.[label]?.areaM2 ?? 0;
  return [...all].sort((a, b) => areaOf(b) - areaOf(a));
};

/** The transitions that count, with their areas where the map shows them one by one. */
function Kept({ head, transitions, areas, exact, change }: Props) {
  const { classes, kept, unlikely, show } = transitions;
  const all = changesOf(classes);
  const rest = all.filter(({ label }) => !kept.includes(label));
  return (
    <section aria-label="Transitions that count" className="border-b border-line px-4 py-2">
      <div className="mb-1 flex items-center justify-between gap-2">
        {head}
        {rest.length > 0 && (
          <Pick
            label="Count another transition"
            className="h-7 w-[130px]"
            placeholder="Count more …"
            value=""
            onChange={(label) => change(counting(Number(label), true))}
            options={rest.map((one) => ({ value: String(one.label), name: one.name }))}
          />
        )}
      </div>
      <ul>
        {largestFirst(
          all.filter(({ label }) => kept.includes(label)),
          show === "transition" ? areas : null,
        ).map((one) => (
          <li
            key={one.label}
            className="flex items-center gap-2 border-t border-line py-1 first:border-t-0"
          >
            <label className="flex min-w-0 flex-1 items-center gap-2">
              <input
                type="checkbox"
                checked
                onChange={() => change(counting(one.label, false))}
                aria-label={`${one.name} counts`}
              />
              <Colour transitions={transitions} label={one.label} />
              <span className="truncate">{one.name}</span>
            </label>
            {unlikely.includes(one.label) && (
              <span className="text-label text-warnink">unlikely</span>
            )}
            {show === "transition" && (
              <ClassArea
                name={one.name}
                label={one.label}
                areas={areas}
                exact={exact}
                className="w-[84px] text-right"
              />
            )}
          </li>
        ))}
      </ul>
      {kept.length === 0 && <p className="text-soft">No transition counts: the map is empty.</p>}
    </section>
  );
}

/** The colour that a transition has on the map. */
function Colour({ transitions, label }: { transitions: Transitions; label: number }) {
  const of = classesOfTransitions(transitions).find(({ groups }) => groups.includes(label));
  return (
    <span
      aria-hidden
      className="h-3 w-3 shrink-0 rounded-[3px]"
      style={{ background: of?.color }}
    />
  );
}
