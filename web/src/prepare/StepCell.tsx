import { AlertTriangle, Check, Circle, CircleDashed, Minus, RotateCcw, X } from "lucide-react";
import { type Family, stepOfChain } from "@hindglance/core/chain/family";
import { cx } from "../ui/cx";
import type { BoardCell, BoardRow } from "./chainState";

interface Mark {
  icon: typeof Check;
  /** Colour of the icon. */
  ink: string;
  say: string;
  /** Ground of the cell. */
  ground: string;
}
const FAINT = "text-[#9aa19c]";
const NOT_THERE = "border-dashed bg-transparent text-soft";
const NOT_YET = "bg-paper text-soft";

const MARK: Record<BoardCell["state"], Mark> = {
  done: { icon: Check, ink: "text-spruce", say: "done", ground: "bg-white" },
  running: { icon: RotateCcw, ink: "text-spruce", say: "running", ground: "bg-white" },
  waiting: { icon: Circle, ink: FAINT, say: "waiting", ground: NOT_YET },
  stale: {
    icon: CircleDashed,
    ink: "text-warnink",
    say: "changed since it was run",
    ground: "bg-white",
  },
  skipped: { icon: Minus, ink: FAINT, say: "skipped", ground: NOT_THERE },
  error: { icon: X, ink: "text-wrong", say: "cannot run", ground: "bg-[#f8e7e5]" },
  blocked: { icon: Circle, ink: FAINT, say: "waits for a step before it", ground: NOT_YET },
  held: { icon: Minus, ink: FAINT, say: "held out", ground: NOT_THERE },
};

/** What a cell is called for those who do not see it. */
function spoken(family: Family, row: BoardRow, cell: BoardCell, text: string): string {
  const words = [
    `${stepOfChain(family, cell.step).name}, ${row.name}: ${MARK[cell.state].say}`,
    text,
    isWarned(cell) ? "with a warning" : "",
    cell.exception ? "exception" : "",
  ];
  return words.filter(Boolean).join(", ");
}

const isWarned = ({ warnings, state }: BoardCell): boolean =>
  warnings.length > 0 && state !== "skipped" && state !== "held";

/** One step of one date. */
export function StepCell({
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
  /** Its place on the board, as row.column. */
  at: string;
  picked: boolean;
  onPick(): void;
  onKey(e: React.KeyboardEvent): void;
}) {
  const mark = MARK[cell.state];
  const showsWarning = isWarned(cell) && cell.state !== "error";
  const Icon = showsWarning ? AlertTriangle : mark.icon;
  const share = cell.state === "running" ? (cell.progress ?? 0) : null;
  const text = share === null ? cell.text : `${Math.round(share * 100)} %`;
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
      aria-label={spoken(family, row, cell, text)}
      className={cx(
        "relative flex h-[35px] min-w-0 items-start justify-between gap-1 overflow-hidden",
        "rounded-[6px] border px-1.5 py-1 text-left text-[11.5px] leading-[13px]",
        picked ? "border-ink bg-white outline outline-1 outline-ink" : "border-line",
        mark.ground,
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
          className={cx("mt-px shrink-0", showsWarning ? "text-[#a9760b]" : mark.ink)}
        />
      )}
      {share !== null && (
        <span aria-hidden className="absolute inset-x-0 bottom-0 h-[3px] bg-line">
          <span className="block h-full bg-spruce" style={{ width: `${share * 100}%` }} />
        </span>
      )}
    </button>
  );
}
