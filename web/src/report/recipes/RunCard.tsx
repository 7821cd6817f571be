import type { RecipeRun } from "@hindglance/contract/recipes";
import { Link } from "react-router";
import { dayYear, time } from "../../lib/format";
import { Bar } from "../../ui/Bar";
import { Button } from "../../ui/Button";
import { cx } from "../../ui/cx";
import { download } from "../useFile";

/** How a run stands, in a word; what is to be looked at first is said before all. */
function standing({ state, lookFirst, stage }: RecipeRun): { word: string; tone: string } {
  if (state === "done") {
    return lookFirst.length > 0
      ? { word: "Look first", tone: "bg-[#fbf1dc] text-[#7a5205]" }
      : { word: "Done", tone: "bg-[#e2ece7] text-spruce" };
  }
  const words = { running: stage, failed: "Failed", cancelled: "Cancelled" } as const;
  return {
    word: words[state],
    tone: state === "failed" ? "bg-[#f8e7e5] text-[#7c241d]" : "bg-bone text-soft",
  };
}

const LINE_TONES = { said: "", doubt: "text-[#7a5205]", wrong: "text-[#7c241d]" } as const;

interface Props {
  run: RecipeRun;
  onCancel(): void;
  onRemove(): void;
}

/** A run of a recipe: how far it is, why it is to be looked at, what it did and what it made. */
export function RunCard({ run, onCancel, onRemove }: Props) {
  const { word, tone } = standing(run);
  const [bundle] = run.made.files;
  const why = run.log.findLast(({ tone: said }) => said === "wrong");
  return (
    <li className="rounded-card border border-line bg-paper px-3 py-2">
      <div className="flex items-center gap-2">
        <h3 className="min-w-0 flex-1 truncate text-[13.5px] leading-5" title={run.name}>
          {run.name}
        </h3>
        <span className={cx("rounded-full px-2 py-0.5 text-label font-medium", tone)}>{word}</span>
      </div>
      <p className="truncate text-label text-soft" title={`${run.before} · ${run.after}`}>
        {run.before} · {run.after} · {dayYear(run.createdAt)} {time(run.createdAt)}
      </p>
      {run.state === "running" && (
        <div className="py-1.5">
          <Bar share={run.progress} label={`Running ${run.name}`} />
        </div>
      )}
      {run.state === "failed" && why && (
        <p className="mt-1 rounded-field bg-[#f8e7e5] px-2 py-1 text-label text-[#7c241d]">
          {why.text}
        </p>
      )}
      {run.lookFirst.map((text) => (
        <p
          key={text}
          className="mt-1 rounded-field bg-[#fbf1dc] px-2 py-1 text-label text-[#5f4104]"
        >
          {text}
        </p>
      ))}
      <div className="mt-1.5 flex items-center gap-1.5">
        <details className="min-w-0 flex-1 text-label">
          <summary className="cursor-pointer text-soft">Log, {run.log.length} lines</summary>
          <ol className="mt-1 space-y-0.5">
            {run.log.map(({ at, tone: said, text }, k) => (
              <li key={k} className={LINE_TONES[said]}>
                <span className="mr-1.5 font-mono text-soft">{at.slice(11, 19)}</span>
                {text}
              </li>
            ))}
          </ol>
        </details>
        {run.made.changeMapId && (
          <Link
            className="shrink-0 text-spruce underline"
            to={`/studies/${run.studyId}/tally?map=${run.made.changeMapId}`}
          >
            Open map
          </Link>
        )}
        {bundle && (
          <Button tone="quiet" className="h-7 px-1.5" onClick={() => download(bundle)}>
            Files
          </Button>
        )}
        {run.state === "running" ? (
          <Button tone="quiet" className="h-7 px-1.5" onClick={onCancel}>
            Cancel
          </Button>
        ) : (
          <Button
            tone="quiet"
            className="h-7 px-1.5"
            aria-label={`Remove the run ${run.name}`}
            onClick={onRemove}
          >
            Remove
          </Button>
        )}
      </div>
    </li>
  );
}
