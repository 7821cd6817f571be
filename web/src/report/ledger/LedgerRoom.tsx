import type { LedgerEntry } from "@hindglance/contract/studies";
import { Download } from "lucide-react";
import type { ReactNode } from "react";
import { useSearchParams } from "react-router";
import { useLedger } from "../../api/hooks";
import type { ChangeMap, Study } from "../../api/types";
import { Section } from "../../frame/Section";
import { dayYear } from "../../lib/format";
import { saveText } from "../../lib/save";
import { answersSaid } from "../../scenes/answers";
import { useReviewer } from "../../state/reviewer";
import { Button } from "../../ui/Button";
import { Chip } from "../../ui/Chip";
import { Labelled, inputStyle } from "../../ui/Labelled";
import { TextField } from "../../ui/TextField";
import { ReportRoom } from "../ReportRoom";
import { found, linesOf, sentenceOf } from "./sentences";

/** One thing that was done: when, by whom, what, and all that is known of it on demand. */
function Line({ entry }: { entry: LedgerEntry }) {
  const at = new Date(entry.at).toISOString();
  return (
    <li className="grid grid-cols-[132px_1fr] gap-3 border-t border-line px-3 py-1.5 first:border-t-0">
      <div className="text-label text-soft">
        {dayYear(at)}
        <br />
        <span className="font-mono">{at.slice(11, 19)}</span> UTC
      </div>
      <div className="min-w-0">
        <p>{sentenceOf(entry)}</p>
        {answersSaid(entry.detail.answers).map(([name, said]) => (
          <p key={name} className="text-soft">
            {name}: {said}
          </p>
        ))}
        <details className="text-label">
          <summary className="cursor-pointer text-soft">
            {entry.actor ? `by ${entry.actor} · ` : ""}line {entry.id}, with what is known of it
          </summary>
          <pre className="mt-1 max-h-60 overflow-auto whitespace-pre-wrap break-all rounded-field bg-bone p-2 font-mono text-[11px]">
            {JSON.stringify(entry.detail, null, 2)}
          </pre>
        </details>
      </div>
    </li>
  );
}

interface DeskProps {
  words: string;
  find(words: string): void;
  map: ChangeMap | null;
  isOfMap: boolean;
  setOfMap(isOfMap: boolean): void;
}

/** What is looked for in the ledger, and under which name one acts. */
function LedgerDesk({ words, find, map, isOfMap, setOfMap }: DeskProps) {
  const reviewer = useReviewer();
  return (
    <>
      <Section title="Find">
        <Labelled label="Words" hint="Names, files, checksums, settings, people, days.">
          {(id) => (
            <input
              id={id}
              type="search"
              className={inputStyle}
              value={words}
              onChange={(event) => find(event.target.value)}
            />
          )}
        </Labelled>
        {map && (
          <Chip
            on={isOfMap}
            aria-pressed={isOfMap}
            className="max-w-full"
            onClick={() => setOfMap(!isOfMap)}
          >
            <span className="truncate">Only what made “{map.name}”</span>
          </Chip>
        )}
      </Section>
      <Section title="You">
        <TextField
          label="Name that your acts are written down under"
          value={reviewer.name}
          longest={60}
          onKeep={reviewer.setName}
        />
      </Section>
    </>
  );
}

const takeAway = (study: Study, entries: readonly LedgerEntry[]): void =>
  saveText(
    `${study.name.replace(/\W+/g, "_")}.ledger.json`,
    `${JSON.stringify(entries, null, 2)}\n`,
    "application/json",
  );

/** What the address says is looked for, and how that is changed. */
function useFinding() {
  const [search, set] = useSearchParams();
  const put = (key: string, value: string) =>
    set(
      (params) => {
        if (value === "") {
          params.delete(key);
        } else {
          params.set(key, value);
        }
        return params;
      },
      { replace: true },
    );
  return {
    words: search.get("find") ?? "",
    find: (words: string) => put("find", words),
    wantsMap: search.get("lines") === "map",
    setOfMap: (isOfMap: boolean) => put("lines", isOfMap ? "map" : ""),
  };
}

interface Props {
  study: Study;
  /** The map whose lines can be picked out. */
  map: ChangeMap | null;
  head: ReactNode;
  strip: ReactNode;
}

/** The ledger: all that was done in a study, searched, of one map alone, taken away as JSON. */
export function LedgerRoom({ study, map, head, strip }: Props) {
  const { data } = useLedger(study.id);
  const entries = data ?? [];
  const { words, find, wantsMap, setOfMap } = useFinding();
  const isOfMap = wantsMap && map !== null;
  const shown = found(isOfMap ? linesOf(entries, map) : entries, words).toReversed();
  return (
    <ReportRoom
      {...{ head, strip }}
      desk={<LedgerDesk {...{ words, find, map, isOfMap, setOfMap }} />}
      footer={
        <div className="flex items-center justify-between">
          <span className="text-soft">
            {shown.length} of {entries.length} lines
          </span>
          <Button onClick={() => takeAway(study, entries)}>
            <Download size={14} aria-hidden />
            JSON
          </Button>
        </div>
      }
    >
      <ol
        aria-label="Lines of the ledger"
        className="shrink-0 rounded-card border border-line bg-paper"
      >
        {shown.map((entry) => (
          <Line key={entry.id} entry={entry} />
        ))}
      </ol>
      {data && shown.length === 0 && <p className="text-soft">No line has all of these words.</p>}
    </ReportRoom>
  );
}
