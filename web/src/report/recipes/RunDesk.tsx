import { isCompared } from "@hindglance/contract/comparison";
import { type Recipe, isFor } from "@hindglance/core/recipe/recipe";
import { useState } from "react";
import type { Scene } from "../../api/types";
import { Section } from "../../frame/Section";
import { dayYear } from "../../lib/format";
import { sayError } from "../../api/client";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Labelled, inputStyle } from "../../ui/Labelled";
import { Problem } from "../../ui/Messages";
import { Pick } from "../../ui/Pick";
import type { RunOrder } from "./useRecipes";

interface DatePickProps {
  label: string;
  dates: readonly Scene[];
  value: string;
  onChange(id: string): void;
}

const DatePick = ({ label, dates, value, onChange }: DatePickProps) => (
  <div className="mb-3">
    <p className="mb-1 font-medium">{label}</p>
    <Pick
      label={label}
      className="w-full"
      value={value}
      onChange={onChange}
      options={dates.map(({ id, name, acquiredAt }) => ({
        ...{ value: id, name },
        note: acquiredAt ? dayYear(acquiredAt) : "no date",
      }))}
    />
  </div>
);

interface Props {
  recipe: Recipe;
  scenes: readonly Scene[];
  /** The pair of Compare, to begin with. */
  pair: { beforeId: string | null; afterId: string | null };
  isBeginning: boolean;
  onRun(order: RunOrder): void;
  onList(order: { recipe: Recipe; csv: string }): Promise<unknown>;
  isOrdering: boolean;
  onOrder(order: { recipe: Recipe; beforeId: string | null }): void;
}

/** Dates of the study that a recipe is for. */
const datesFor = (recipe: Recipe, scenes: readonly Scene[]): Scene[] =>
  scenes.filter(({ kind }) => isCompared(kind) && isFor(recipe, kind));

/** The pair of Compare; where that is not picked yet, the latest two dates that the recipe is for. */
function proposedPair({ recipe, scenes, pair }: Pick<Props, "recipe" | "scenes" | "pair">) {
  const dates = datesFor(recipe, scenes);
  const isThere = (wanted: string | null) => dates.some(({ id }) => id === wanted);
  if (isThere(pair.beforeId) && isThere(pair.afterId)) {
    return pair;
  }
  const { family } = recipe;
  const dated = dates
    .filter(({ kind, acquiredAt }) => acquiredAt && (!family || kind === family))
    .sort((one, other) => Date.parse(one.acquiredAt!) - Date.parse(other.acquiredAt!));
  const [before, after] = dated.slice(-2);
  return { beforeId: after ? before!.id : null, afterId: after?.id ?? null };
}

/** Runs a recipe on one pair of the study. */
function OnePair({ recipe, scenes, pair, isBeginning, onRun }: Props) {
  const dates = datesFor(recipe, scenes);
  const [proposed] = useState(() => proposedPair({ recipe, scenes, pair }));
  const [beforeId, setBefore] = useState(proposed.beforeId ?? "");
  const [afterId, setAfter] = useState(proposed.afterId ?? "");
  const [name, setName] = useState("");
  const isFit = beforeId !== "" && afterId !== "" && beforeId !== afterId;
  return (
    <>
      <DatePick label="Before" dates={dates} value={beforeId} onChange={setBefore} />
      <DatePick label="After" dates={dates} value={afterId} onChange={setAfter} />
      <Labelled label="Name of the map" hint="Empty: the recipe's name and the later day">
        {(id) => (
          <input
            id={id}
            className={inputStyle}
            maxLength={120}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        )}
      </Labelled>
      <Button
        tone="act"
        className="w-full"
        disabled={!isFit || isBeginning}
        onClick={() => onRun({ recipe, beforeId, afterId, name: name.trim() || null })}
      >
        Run on this pair
      </Button>
      {dates.length < 2 && (
        <p className="mt-1 text-label text-soft">
          This recipe is for two {recipe.family ?? "dated"} scenes; the study has {dates.length}.
        </p>
      )}
      {beforeId !== "" && beforeId === afterId && (
        <p className="mt-1 text-label text-wrong">Before and after are one and the same date.</p>
      )}
    </>
  );
}

interface ListProps {
  recipe: Recipe;
  isBeginning: boolean;
  onList: Props["onList"];
}

/** Runs a recipe on pairs that are written one a line. */
function PairList({ recipe, isBeginning, onList }: ListProps) {
  const [csv, setCsv] = useState("before,after,name\n");
  const [problem, setProblem] = useState<string | null>(null);
  const begin = async () => {
    setProblem(null);
    try {
      await onList({ recipe, csv });
    } catch (error) {
      setProblem(sayError(error));
    }
  };
  return (
    <>
      <Labelled label="Pairs" hint="CSV: dates by their names; they run one after the other.">
        {(id) => (
          <textarea
            id={id}
            className="h-40 w-full rounded-field border border-line bg-white p-2 font-mono text-[12px]"
            spellCheck={false}
            value={csv}
            onChange={(event) => setCsv(event.target.value)}
          />
        )}
      </Labelled>
      {problem && (
        <div className="mb-2">
          <Problem>{problem}</Problem>
        </div>
      )}
      <Button tone="act" className="w-full" disabled={isBeginning} onClick={() => void begin()}>
        Run on these pairs
      </Button>
    </>
  );
}

const LATEST = "latest";

/** Runs a recipe on every date that comes into the study from now on. */
function EveryDate({ recipe, scenes, onOrder, isOrdering }: Props) {
  const dates = datesFor(recipe, scenes);
  const [before, setBefore] = useState(LATEST);
  return (
    <>
      <div className="mb-3">
        <p className="mb-1 font-medium">Compared with</p>
        <Pick
          label="Compared with the date"
          className="w-full"
          value={before}
          onChange={setBefore}
          options={[
            { value: LATEST, name: "The date before it", note: "of the same pass" },
            ...dates.map(({ id, name }) => ({ value: id, name })),
          ]}
        />
      </div>
      <p className="mb-3 text-label text-soft">
        Every date that is imported from now on is compared, by the recipe as it is now, and gets
        its map and files. It goes on while the server runs.
      </p>
      <Button
        tone="act"
        className="w-full"
        disabled={isOrdering}
        onClick={() => onOrder({ recipe, beforeId: before === LATEST ? null : before })}
      >
        Run on every new date
      </Button>
    </>
  );
}

const WAYS = [
  { value: "pair", name: "One pair" },
  { value: "list", name: "A list" },
  { value: "every", name: "Every new date" },
] as const;
type Way = (typeof WAYS)[number]["value"];

/** What a recipe is run on: one pair, a list of pairs, or every date that comes. */
export function RunDesk(props: Props) {
  const [on, setOn] = useState<Way>("pair");
  return (
    <Section title={`Run “${props.recipe.name}”`}>
      <Choice<Way>
        label="What it is run on"
        className="mb-3 w-full"
        value={on}
        onChange={setOn}
        options={[...WAYS]}
      />
      {on === "pair" && <OnePair {...props} />}
      {on === "list" && <PairList {...props} />}
      {on === "every" && <EveryDate {...props} />}
    </Section>
  );
}
