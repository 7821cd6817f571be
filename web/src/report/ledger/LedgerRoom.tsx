import type { LedgerEntry } from "@hindglance/contract/studies";
import { Download } from "lucide-react";
import type { ReactNode } from "react";
import { useSearchParams } from "react-router";
import { useLedger, useScenes } from "../../api/hooks";
import type { ChangeMap, Scene, Study } from "../../api/types";
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
import { type Made, linesOf, madeOfDates, madeOfMap } from "./lines";
import { MakeAgain } from "./MakeAgain";
import { found, sentenceOf } from "./sentences";

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

/** What the lines can be narrowed to. */
interface Thing {
  kind: "map" | "dates";
  name: string;
  made: Made;
}

interface DeskProps {
  words: string;
  find(words: string): void;
  things: readonly Thing[];
  picked: string;
  pick(kind: string): void;
  map: ChangeMap | null;
}

/** What is looked for in the ledger, and under which name one acts. */
function LedgerDesk({ words, find, things, picked, pick, map }: DeskProps) {
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
        {things.map(({ kind, name }) => (
          <Chip
            key={kind}
            on={picked === kind}
            aria-pressed={picked === kind}
            className="max-w-full"
            onClick={() => pick(picked === kind ? "" : kind)}
          >
            <span className="truncate">Only what made {name}</span>
          </Chip>
        ))}
      </Section>
      {map && <MakeAgain map={map} />}
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
    picked: search.get("lines") ?? "",
    pick: (kind: string) => put("lines", kind),
    dates: search.getAll("date"),
  };
}

interface Props {
  study: Study;
  /** The map whose lines can be picked out. */
  map: ChangeMap | null;
  head: ReactNode;
  strip: ReactNode;
}

/** What the lines can be narrowed to: the map that is shown, and dates that a page led here from. */
function thingsOf(
  map: ChangeMap | null,
  dates: readonly string[],
  scenes: readonly Scene[],
): Thing[] {
  const things: Thing[] = [];
  if (map) {
    things.push({ kind: "map", name: `“${map.name}”`, made: madeOfMap(map) });
  }
  const named = scenes.filter(({ id }) => dates.includes(id));
  if (named.length > 0) {
    const name = named.map((scene) => `“${scene.name}”`).join(" and ");
    things.push({ kind: "dates", name, made: madeOfDates(dates, scenes) });
  }
  return things;
}

/** The ledger: all that was done in a study, searched, of one map or of dates alone, taken away as JSON. */
export function LedgerRoom({ study, map, head, strip }: Props) {
  const { data } = useLedger(study.id);
  const scenes = useScenes(study.id).data ?? [];
  const entries = data ?? [];
  const { words, find, picked, pick, dates } = useFinding();
  const things = thingsOf(map, dates, scenes);
  const thing = things.find(({ kind }) => kind === picked);
  const shown = found(thing ? linesOf(entries, thing.made) : entries, words).toReversed();
  return (
    <ReportRoom
      {...{ head, strip }}
      desk={<LedgerDesk {...{ words, find, things, picked, pick, map }} />}
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
