import { useEffect, useState } from "react";
import { Link } from "react-router";
import { runRoutes } from "@hindglance/contract/runs";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { useRuns } from "../api/hooks";
import type { Run } from "../api/types";
import { duration } from "../lib/format";
import { secondsLeft } from "../lib/secondsLeft";
import { useUi } from "../state/ui";
import { Bar } from "../ui/Bar";
import { Button } from "../ui/Button";
import { cx } from "../ui/cx";
import { Pop, PopClose } from "../ui/Pop";

/** Runs that are listed: the last of them. */
const LISTED = 20;

const sayIfWrong = (asked: Promise<unknown>): void =>
  void asked.catch((error: unknown) => useUi.getState().say(sayError(error), "wrong"));

/** The time now, told again twice a second while something runs. */
function useTicking(isRunning: boolean): number {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    if (!isRunning) {
      return;
    }
    const timer = setInterval(() => setNow(Date.now()), 500);
    return () => clearInterval(timer);
  }, [isRunning]);
  return now;
}

/** Runs with how far they are; each can be cancelled, or all together. */
export function RunsTray() {
  const runs = useRuns().data ?? [];
  const active = runs.filter(({ state }) => state === "running");
  const now = useTicking(active.length > 0);
  const done = active.reduce((sum, { progress }) => sum + progress, 0);
  const share = active.length ? done / active.length : 0;
  const some = `${active.length} run${active.length > 1 ? "s" : ""} · ${Math.round(share * 100)} %`;
  return (
    <Pop
      label="Runs"
      width={340}
      trigger={
        <Button tone="quiet" className="text-ink">
          <Ring share={share} />
          <span className="font-normal">{active.length ? some : "No runs"}</span>
        </Button>
      }
    >
      <div className="mb-2 flex items-center justify-between">
        <h2>Runs</h2>
        {active.length > 1 && (
          <Button
            className="h-6 px-2"
            onClick={() => sayIfWrong(call(runRoutes.cancelAll, { body: {} }))}
          >
            Cancel all
          </Button>
        )}
      </div>
      {runs.length === 0 && (
        <p className="text-soft">
          Imports, change maps and files show here while they are being made.
        </p>
      )}
      <ul className="max-h-80 space-y-2.5 overflow-auto">
        {runs.slice(0, LISTED).map((run) => (
          <RunRow key={run.id} run={run} now={now} />
        ))}
      </ul>
      <p className="mt-2 border-t border-line pt-2">
        <PopClose asChild>
          <Link className="text-label text-spruce underline" to="/workers">
            Servers and workers
          </Link>
        </PopClose>
      </p>
    </Pop>
  );
}

/** How far, as a ring that closes. */
function Ring({ share }: { share: number }) {
  const circle = { cx: 9, cy: 9, r: 7, fill: "none", strokeWidth: 3 };
  const around = 2 * Math.PI * circle.r;
  return (
    <svg width="18" height="18" viewBox="0 0 18 18" aria-hidden className="-rotate-90">
      <circle {...circle} stroke="#d8d3c6" />
      <circle {...circle} stroke="#1f6658" strokeDasharray={`${around * share} ${around}`} />
    </svg>
  );
}

/** How a run stands, in a word or two. */
function standing(run: Run, now: number): string {
  if (run.state !== "running") {
    return run.state;
  }
  const left = secondsLeft(run, now);
  return left === null ? `${Math.round(run.progress * 100)} %` : `${duration(left)} left`;
}

function RunRow({ run, now }: { run: Run; now: number }) {
  const { id, title, state, progress, doing, error } = run;
  return (
    <li>
      <div className="flex items-baseline justify-between gap-2">
        <span className="truncate" title={title}>
          {title}
        </span>
        <span
          className={cx(
            "shrink-0 text-label",
            state === "failed" ? "font-semibold text-wrong" : "text-soft",
          )}
        >
          {standing(run, now)}
        </span>
      </div>
      {state === "running" && (
        <div className="mt-1 flex items-center gap-2">
          <div className="flex-1">
            <Bar share={progress} label={title} />
            <span className="text-label text-soft">{doing}</span>
          </div>
          <Button
            className="h-6 px-2"
            onClick={() => sayIfWrong(call(runRoutes.cancel, { params: { id } }))}
          >
            Cancel
          </Button>
        </div>
      )}
      {error && (
        <p className="text-label text-wrong">
          {error.message}. {error.hint}
        </p>
      )}
    </li>
  );
}
