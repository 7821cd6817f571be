import type { ReactNode } from "react";
import { Redo2, Undo2 } from "lucide-react";
import type { EditAct } from "@hindglance/contract/edits";
import type { EditKind } from "@hindglance/core/edit/edits";
import { Section } from "../frame/Section";
import { day, number, time } from "../lib/format";
import { Turn } from "../ui/Turn";
import { cx } from "../ui/cx";
import type { EditsOnScreen } from "./useEdits";

const patches = (count: number): string => `${number(count)} ${count === 1 ? "patch" : "patches"}`;

/** What was done, in words. */
const WORDS: Record<EditKind, (act: EditAct) => string> = {
  draw: () => "patch drawn",
  reshape: () => "patch reshaped",
  cut: ({ made }) => `patch cut in ${made}`,
  merge: ({ gone }) => `${patches(gone)} merged`,
  relabel: ({ gone }) => `class of ${patches(gone)} changed`,
  remove: ({ gone }) => `${patches(gone)} deleted`,
};

/** Acts that led to where the edits stand. */
export function pathOf(acts: readonly EditAct[], head: number | null): Set<number> {
  const byId = new Map(acts.map((act) => [act.id, act]));
  const path = new Set<number>();
  for (let at = head; at !== null; at = byId.get(at)?.parent ?? null) {
    path.add(at);
  }
  return path;
}

interface Props {
  edits: EditsOnScreen;
  /** Who edits. */
  right: ReactNode;
}

/** What was done, and the state after each: any of them can be gone back to. */
export function HistorySection({ edits: { state, go, undo, redo }, right }: Props) {
  const acts = state?.acts ?? [];
  const path = pathOf(acts, state?.head ?? null);
  return (
    <Section
      title="History"
      className="flex min-h-[110px] flex-1 flex-col"
      right={
        <span className="flex items-center gap-1">
          {right}
          <Turn icon={Undo2} name="Undo" keys="Ctrl Z" turn={undo} className="h-6!" />
          <Turn icon={Redo2} name="Redo" keys="Ctrl Shift Z" turn={redo} className="h-6!" />
        </span>
      }
    >
      <ul aria-label="Edits" className="-mx-1 min-h-0 flex-1 space-y-px overflow-y-auto">
        {acts.map((act) => (
          <State
            key={act.id}
            isHere={act.id === state?.head}
            isAside={!path.has(act.id)}
            words={WORDS[act.kind](act)}
            note={`${act.editor}, ${day(act.doneAt)} ${time(act.doneAt)}`}
            go={() => go(act.id)}
          />
        ))}
        <State
          isHere={state !== null && state.head === null}
          isAside={false}
          words="as it was written"
          note=""
          go={() => go(null)}
        />
      </ul>
    </Section>
  );
}

interface StateProps {
  isHere: boolean;
  /** Whether it does not count where the edits stand. */
  isAside: boolean;
  words: string;
  note: string;
  go(): void;
}

/** A state of the edits, which a click goes to. */
const State = ({ isHere, isAside, words, note, go }: StateProps) => (
  <li>
    <button
      type="button"
      aria-current={isHere ? "step" : undefined}
      title={isAside ? "Set aside: it does not count now. Click to go there" : "Click to go there"}
      className={cx(
        "flex w-full items-baseline gap-2 rounded-field px-1 text-left hover:bg-bone",
        isHere && "bg-[#e2ece7]",
        isAside && "text-soft line-through decoration-line",
      )}
      onClick={go}
    >
      <span className="min-w-0 flex-1 truncate">{words}</span>
      <span className="shrink-0 text-label text-soft">{isHere ? "here" : note}</span>
    </button>
  </li>
);
