import type { Study } from "../api/types";
import { time } from "../lib/format";
import { cx } from "../ui/cx";
import { StepCell } from "./StepCell";
import type { BoardRow, Desk, PrepareView } from "./chainState";
import { type Moves, moveTo } from "./gridKeys";
import type { BoardWork } from "./usePrepare";

/** One scene of the board: its day, and a cell a step. */
export function SceneRow({
  study,
  view,
  prepare,
  desk,
  row,
  at,
  isPicked,
  columns,
  moves,
}: {
  study: Study;
  view: PrepareView;
  prepare: BoardWork;
  desk: Desk;
  row: BoardRow;
  /** Its place on the board. */
  at: number;
  isPicked: boolean;
  columns: React.CSSProperties;
  moves: Moves;
}) {
  return (
    <div role="row" className="mb-1 grid gap-1" style={columns}>
      <RowHead study={study} view={view} prepare={prepare} row={row} />
      {row.cells.map((cell, column) => (
        <StepCell
          key={cell.step}
          family={view.family}
          row={row}
          cell={cell}
          at={`${at}.${column}`}
          picked={isPicked && cell.step === desk.step}
          onPick={() => desk.pick(row.sceneId, cell.step, cell.exception)}
          onKey={(e) => moveTo(e, at, column, moves)}
        />
      ))}
    </div>
  );
}

type Side = "before" | "after" | null;
function sideOf({ compare }: Study, sceneId: string): Side {
  if (sceneId === compare?.beforeId) {
    return "before";
  }
  return sceneId === compare?.afterId ? "after" : null;
}

const INK: Record<"before" | "after", string> = {
  before: "text-beforeink",
  after: "text-afterink",
};
const arrowOf = (pass: string | null): string => {
  if (!pass) {
    return "";
  }
  return pass === "ascending" ? "↑" : "↓";
};

function RowHead({
  study,
  view,
  prepare,
  row,
}: {
  study: Study;
  view: PrepareView;
  prepare: BoardWork;
  row: BoardRow;
}) {
  const side = sideOf(study, row.sceneId);
  const held = view.heldOut.includes(row.sceneId);
  const hold = () =>
    prepare.set({
      ...view,
      heldOut: held
        ? view.heldOut.filter((id) => id !== row.sceneId)
        : [...view.heldOut, row.sceneId],
    });
  const words = [
    time(row.acquiredAt).slice(0, 5),
    arrowOf(row.pass),
    row.tag,
    side ?? (held ? "held out" : ""),
  ];
  return (
    <div
      role="rowheader"
      className="flex min-w-0 items-center justify-between gap-1 py-0.5 pl-0.5"
      title={row.name}
    >
      <span className="min-w-0">
        <span
          className={cx(
            "block truncate text-[12.5px] font-semibold leading-4",
            side ? INK[side] : held && "text-soft",
          )}
        >
          {row.label}
        </span>
        <span className="block truncate text-[11px] leading-[14px] text-soft">
          {words.filter(Boolean).join(" ")}
        </span>
      </span>
      <button
        type="button"
        aria-pressed={held}
        aria-label={held ? `Take ${row.name} back in` : `Hold ${row.name} out`}
        title={held ? "Take this date back in" : "Hold this date out of the chain"}
        onClick={hold}
        className="shrink-0 rounded px-0.5 text-[11px] text-soft hover:text-ink"
      >
        {held ? "in" : "out"}
      </button>
    </div>
  );
}
