import { runRoutes } from "@hindglance/contract/runs";
import { call } from "../api/call";
import { useEffect, useState } from "react";
import { sayError } from "../api/client";
import { useRuns } from "../api/hooks";
import type { Run } from "../api/types";
import { useUi } from "../state/ui";
import { Bar, Button, Pop, cx } from "../ui/controls";
import { duration } from "../lib/format";
import { secondsLeft } from "../lib/secondsLeft";

const STATE: Record<Run["state"], string> = {
  running: "running",
  done: "done",
  failed: "failed",
  cancelled: "cancelled",
};

/** Runs with how far they are; each can be cancelled, or all together. */
export function RunsTray() {
  const runs = useRuns().data ?? [];
  const active = runs.filter((run) => run.state === "running");
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    if (!active.length) {
      return;
    }
    const timeout = setInterval(() => setNow(Date.now()), 500);
    return () => clearInterval(timeout);
  }, [active.length]);
  const share = active.length ? active.reduce((s, run) => s + run.progress, 0) / active.length : 0;
  const c = 2 * Math.PI * 7;
  return (
    <Pop
      label="Runs"
      width={340}
      trigger={
        <Button tone="quiet" className="text-ink">
          <svg width="18" height="18" viewBox="0 0 18 18" aria-hidden className="-rotate-90">
            <circle cx="9" cy="9" r="7" fill="none" stroke="#d8d3c6" strokeWidth="3" />
            <circle
              cx="9"
              cy="9"
              r="7"
              fill="none"
              stroke="#1f6658"
              strokeWidth="3"
              strokeDasharray={`${c * share} ${c}`}
            />
          </svg>
          <span className="font-normal">
            {active.length
              ? `${active.length} run${active.length > 1 ? "s" : ""} · ${Math.round(share * 100)} %`
              : "No runs"}
          </span>
        </Button>
      }
    >
      <div className="mb-2 flex items-center justify-between">
        <h2>Runs</h2>
        {active.length > 1 && (
          <Button
            className="h-6 px-2"
            onClick={() =>
              void call(runRoutes.cancelAll, { body: {} }).catch((e) =>
                useUi.getState().say(sayError(e), "wrong"),
              )
            }
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
        {runs.slice(0, 20).map((run) => {
          const left = secondsLeft(run, now);
          return (
            <li key={run.id}>
              <div className="flex items-baseline justify-between gap-2">
                <span className="truncate" title={run.title}>
                  {run.title}
                </span>
                <span
                  className={cx(
                    "shrink-0 text-label",
                    run.state === "failed" ? "font-semibold text-wrong" : "text-soft",
                  )}
                >
                  {run.state === "running"
                    ? left === null
                      ? `${Math.round(run.progress * 100)} %`
                      : `${duration(left)} left`
                    : STATE[run.state]}
                </span>
              </div>
              {run.state === "running" && (
                <div className="mt-1 flex items-center gap-2">
                  <div className="flex-1">
                    <Bar share={run.progress} label={run.title} />
                    <span className="text-label text-soft">{run.doing}</span>
                  </div>
                  <Button
                    className="h-6 px-2"
                    onClick={() =>
                      void call(runRoutes.cancel, { params: { id: run.id } }).catch((e) =>
                        useUi.getState().say(sayError(e), "wrong"),
                      )
                    }
                  >
                    Cancel
                  </Button>
                </div>
              )}
              {run.error && (
                <p className="text-label text-wrong">
                  {run.error.message}. {run.error.hint}
                </p>
              )}
            </li>
          );
        })}
      </ul>
    </Pop>
  );
}
