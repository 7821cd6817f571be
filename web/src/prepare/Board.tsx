import { useRef } from "react";
import { AlertTriangle, Check, Circle, CircleDashed, Minus, RotateCcw, X } from "lucide-react";
import type { Family } from "@hindglance/core/chain/family";
import type { Study } from "../api/types";
import { bytes, time } from "../lib/format";
import { Button, Choice, cx } from "../ui/controls";
import { type BoardCell, type BoardRow, type PrepareView, STEPS_OF, useDesk } from "./chainState";
import { OverTime } from "../time/OverTime";
import { STEP_WORDS, settingText } from "./steps";
import type { usePrepare } from "./usePrepare";

const MARK: Record<BoardCell["state"], { icon: typeof Check; className: string; say: string }> = {
  done: { icon: Check, className: "text-spruce", say: "done" },
  running: { icon: RotateCcw, className: "text-spruce", say: "running" },
  waiting: { icon: Circle, className: "text-[#9aa19c]", say: "waiting" },
  stale: { icon: CircleDashed, className: "text-warnink", say: "changed since it was run" },
  skipped: { icon: Minus, className: "text-[#9aa19c]", say: "skipped" },
  error: { icon: X, className: "text-wrong", say: "cannot run" },
  blocked: { icon: Circle, className: "text-[#9aa19c]", say: "waits for a step before it" },
  held: { icon: Minus, className: "text-[#9aa19c]", say: "held out" },
};

const CHAIN_NAMES: Record<Family, string> = { radar: "Radar chain", optical: "Optical chain" };

/**
 * Scenes down, steps across. A column head is the setting for every date; a cell is what one date
 * looks like there.
 */
export function Board({
  study,
  view,
  p: props,
  families,
  onFamily,
}: {
  study: Study;
  view: PrepareView;
  p: ReturnType<typeof usePrepare>;
  families: readonly Family[];
  onFamily(family: Family): void;
}) {
  const { family } = view;
  const steps = STEPS_OF[family];
  const words = STEP_WORDS[family];
  const columns = { gridTemplateColumns: `104px repeat(${steps.length}, minmax(72px, 1fr))` };
  const { sceneId, step, pick } = useDesk();
  const grid = useRef<HTMLDivElement>(null);
  const inside = view.rows.filter((row) => !view.heldOut.includes(row.sceneId));
  const left = inside.filter((boardRow) => !boardRow.ready).length;
  const focus = (row: number, col: number) => {
    (grid.current?.querySelector(`[data-at="${row}.${col}"]`) as HTMLElement | null)?.focus();
  };
  const hold = (id: string, out: boolean) =>
    props.set({
      ...view,
      heldOut: out ? [...view.heldOut, id] : view.heldOut.filter((x) => x !== id),
    });
  const oldBytes = view.old.reduce((s, result) => s + result.bytes, 0);
  return (
    <section
      aria-label={CHAIN_NAMES[family]}
      className="flex h-[318px] shrink-0 flex-col border-t border-line bg-bone px-3.5 pt-2.5"
    >
      <div className="mb-1.5 flex items-center gap-3">
        {families.length > 1 ? (
          <Choice
            label="Chain"
            value={family}
            onChange={onFamily}
            options={families.map((eachFamily) => ({
              value: eachFamily,
              name: CHAIN_NAMES[eachFamily],
            }))}
          />
        ) : (
          <h2 className="font-semibold">{CHAIN_NAMES[family]}</h2>
        )}
        <span className="text-soft">one setting for every date</span>
        <span className="flex-1" />
        <OverTime
          study={study}
          days={view.rows
            .filter((row) => !view.heldOut.includes(row.sceneId))
            .map((row) => row.acquiredAt.slice(0, 10))}
          first={view.family === "radar" ? "mean" : "median"}
          of="the results of the chain"
          path={`/studies/${study.id}/prepare/over-time?family=${view.family}`}
        />
        {view.old.length > 0 && (
          <Button
            tone="quiet"
            className="h-7 px-2"
            title="Results of settings that the chain does not have any more"
            onClick={() => props.clear.mutate()}
          >
            Delete {view.old.length} old {view.old.length === 1 ? "result" : "results"},{" "}
            {bytes(oldBytes)}
          </Button>
        )}
        <span className="rounded-full border border-line bg-white px-2.5 text-[12px] leading-[22px]">
          {inside.length} {inside.length === 1 ? "date" : "dates"}
          {view.heldOut.length ? ` · ${view.heldOut.length} held out` : ""}
        </span>
        <Button
          tone="act"
          disabled={left === 0 || props.running || props.run.isPending}
          onClick={() => props.run.mutate(null)}
        >
          {props.running ? "Running …" : left === 0 ? "Everything is run" : "Run what is left"}
        </Button>
      </div>
      <div
        ref={grid}
        role="grid"
        aria-label="Steps by date"
        className="min-h-0 flex-1 overflow-auto pb-2"
      >
        <div role="row" className="sticky top-0 z-10 grid gap-1 bg-bone pb-1" style={columns}>
          <span role="columnheader">
            <span className="sr-only">Date</span>
          </span>
          {steps.map((s, c) => (
            <button
              key={s}
              type="button"
              role="columnheader"
              data-at={`-1.${c}`}
              onClick={() => {
                pick(null, s);
                useDesk.getState().setOnly(false);
              }}
              onKeyDown={(e) => move(e, -1, c, view.rows.length, steps.length, focus)}
              className={cx(
                "min-w-0 rounded-[6px] px-1.5 py-1 text-left",
                s === step ? "bg-ink text-paper" : "hover:bg-[#e2ddd0]",
              )}
            >
              <span className="block truncate text-[12px] font-semibold leading-4">
                {words[s]!.name}
              </span>
              <span
                className={cx(
                  "block truncate text-[11px] leading-[14px]",
                  s === step ? "text-[#cfd6d2]" : "text-soft",
                )}
              >
                {settingText(family, view.chain, s)}
              </span>
            </button>
          ))}
        </div>
        {view.rows.map((row, i) => {
          let side: "before" | "after" | null;
          if (row.sceneId === study.compare?.beforeId) {
            side = "before";
          } else if (row.sceneId === study.compare?.afterId) {
            side = "after";
          } else {
            side = null;
          }
          const held = view.heldOut.includes(row.sceneId);
          return (
            <div key={row.sceneId} role="row" className="mb-1 grid gap-1" style={columns}>
              <div
                role="rowheader"
                className="flex min-w-0 items-center justify-between gap-1 py-0.5 pl-0.5"
                title={row.name}
              >
                <span className="min-w-0">
                  <span
                    className={cx(
                      "block truncate text-[12.5px] font-semibold leading-4",
                      side === "before"
                        ? "text-beforeink"
                        : side === "after"
                          ? "text-afterink"
                          : held && "text-soft",
                    )}
                  >
                    {row.label}
                  </span>
                  <span className="block truncate text-[11px] leading-[14px] text-soft">
                    {time(row.acquiredAt).slice(0, 5)}{" "}
                    {row.pass === "ascending" ? "↑" : row.pass ? "↓" : ""}
                    {row.tag ? ` ${row.tag}` : ""}
                    {side ? ` ${side}` : held ? " held out" : ""}
                  </span>
                </span>
                <button
                  type="button"
                  aria-pressed={held}
                  aria-label={held ? `Take ${row.name} back in` : `Hold ${row.name} out`}
                  title={held ? "Take this date back in" : "Hold this date out of the chain"}
                  onClick={() => hold(row.sceneId, !held)}
                  className="shrink-0 rounded px-0.5 text-[11px] text-soft hover:text-ink"
                >
                  {held ? "in" : "out"}
                </button>
              </div>
              {row.cells.map((cell, c) => (
                <Cell
                  key={cell.step}
                  family={family}
                  row={row}
                  cell={cell}
                  at={`${i}.${c}`}
                  picked={row.sceneId === sceneId && cell.step === step}
                  onPick={() => {
                    pick(row.sceneId, cell.step);
                    useDesk.getState().setOnly(cell.exception);
                  }}
                  onKey={(e) => move(e, i, c, view.rows.length, steps.length, focus)}
                />
              ))}
            </div>
          );
        })}
      </div>
    </section>
  );
}

function Cell({
  family,
  row,
  cell,
  at,
  picked,
  onPick,
  onKey,
}: {
  family: Family;
  row: BoardRow;
  cell: BoardCell;
  at: string;
  picked: boolean;
  onPick(): void;
  onKey(e: React.KeyboardEvent): void;
}) {
  const m = MARK[cell.state];
  const warned = cell.warnings.length > 0 && !["skipped", "held"].includes(cell.state);
  const Icon = warned && cell.state !== "error" ? AlertTriangle : m.icon;
  const text =
    cell.state === "running" && cell.progress !== undefined
      ? `${Math.round(cell.progress * 100)} %`
      : cell.text;
  return (
    <button
      type="button"
      role="gridcell"
      data-at={at}
      tabIndex={picked ? 0 : -1}
      aria-selected={picked}
      disabled={cell.state === "held"}
      onClick={onPick}
      onKeyDown={onKey}
      title={[cell.error?.message, ...cell.warnings].filter(Boolean).join("\n") || undefined}
      aria-label={`${STEP_WORDS[family][cell.step]!.name}, ${row.name}: ${m.say}${text ? `, ${text}` : ""}${warned ? ", with a warning" : ""}${cell.exception ? ", exception" : ""}`}
      className={cx(
        "relative flex h-[35px] min-w-0 items-start justify-between gap-1 overflow-hidden rounded-[6px] border px-1.5 py-1 text-left text-[11.5px] leading-[13px]",
        picked ? "border-ink bg-white outline outline-1 outline-ink" : "border-line",
        cell.state === "skipped" || cell.state === "held"
          ? "border-dashed bg-transparent text-soft"
          : cell.state === "error"
            ? "bg-[#f8e7e5]"
            : cell.state === "waiting" || cell.state === "blocked"
              ? "bg-paper text-soft"
              : "bg-white",
      )}
    >
      <span
        className={cx(
          "line-clamp-2 min-w-0 break-words",
          cell.exception && "italic underline decoration-dotted",
        )}
      >
        {text}
      </span>
      {cell.state !== "held" && (
        <Icon
          size={12}
          strokeWidth={2.4}
          aria-hidden
          className={cx(
            "mt-px shrink-0",
            warned && cell.state !== "error" ? "text-[#a9760b]" : m.className,
          )}
        />
      )}
      {cell.state === "running" && (
        <span aria-hidden className="absolute inset-x-0 bottom-0 h-[3px] bg-line">
          <span
            className="block h-full bg-spruce"
            style={{ width: `${(cell.progress ?? 0) * 100}%` }}
          />
        </span>
      )}
    </button>
  );
}

function move(
  e: React.KeyboardEvent,
  row: number,
  col: number,
  rows: number,
  cols: number,
  focus: (r: number, c: number) => void,
): void {
  const distance = (
    { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] } as Record<
      string,
      [number, number]
    >
  )[e.key];
  if (!distance) {
    return;
  }
  e.preventDefault();
  focus(
    Math.max(-1, Math.min(rows - 1, row + distance[0])),
    Math.max(0, Math.min(cols - 1, col + distance[1])),
  );
}
