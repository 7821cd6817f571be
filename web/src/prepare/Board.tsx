import { useRef } from "react";
import { type Family, STEPS_OF, settingText } from "@hindglance/core/chain/family";
import type { Study } from "../api/types";
import { cx } from "../ui/cx";
import { BoardHead, CHAIN_NAMES } from "./BoardHead";
import { SceneRow } from "./SceneRow";
import type { Desk, PrepareView } from "./chainState";
import { type Moves, moveTo } from "./gridKeys";
import type { BoardWork } from "./usePrepare";

/**
 * Scenes down, steps across. A column head is the setting for every date; a cell is what one date
 * looks like there.
 */
export function Board({
  study,
  view,
  prepare,
  desk,
  sceneId,
  families,
  onFamily,
}: {
  study: Study;
  view: PrepareView;
  prepare: BoardWork;
  desk: Desk;
  /** The date that is looked at. */
  sceneId: string | null;
  families: readonly Family[];
  onFamily(family: Family): void;
}) {
  const { family } = view;
  const steps = STEPS_OF[family];
  const columns = { gridTemplateColumns: `104px repeat(${steps.length}, minmax(72px, 1fr))` };
  const grid = useRef<HTMLDivElement>(null);
  const moves: Moves = {
    rows: view.rows.length,
    columns: steps.length,
    focus: (row, column) =>
      grid.current?.querySelector<HTMLElement>(`[data-at="${row}.${column}"]`)?.focus(),
  };
  return (
    <section
      aria-label={CHAIN_NAMES[family]}
      className="flex h-[318px] shrink-0 flex-col border-t border-line bg-bone px-3.5 pt-2.5"
    >
      <BoardHead
        study={study}
        view={view}
        prepare={prepare}
        families={families}
        onFamily={onFamily}
      />
      <div
        ref={grid}
        role="grid"
        aria-label="Steps by date"
        className="min-h-0 flex-1 overflow-auto pb-2"
      >
        <StepHeads view={view} desk={desk} columns={columns} moves={moves} />
        {view.rows.map((row, k) => (
          <SceneRow
            key={row.sceneId}
            study={study}
            view={view}
            prepare={prepare}
            desk={desk}
            row={row}
            at={k}
            isPicked={row.sceneId === sceneId}
            columns={columns}
            moves={moves}
          />
        ))}
      </div>
    </section>
  );
}

/** The steps by name, each with its setting for every date. */
function StepHeads({
  view,
  desk,
  columns,
  moves,
}: {
  view: PrepareView;
  desk: Desk;
  columns: React.CSSProperties;
  moves: Moves;
}) {
  return (
    <div role="row" className="sticky top-0 z-10 grid gap-1 bg-bone pb-1" style={columns}>
      <span role="columnheader">
        <span className="sr-only">Date</span>
      </span>
      {STEPS_OF[view.family].map(({ key, name }, column) => {
        const isPicked = key === desk.step;
        return (
          <button
            key={key}
            type="button"
            role="columnheader"
            data-at={`-1.${column}`}
            onClick={() => desk.pick(null, key, false)}
            onKeyDown={(e) => moveTo(e, -1, column, moves)}
            className={cx(
              "min-w-0 rounded-[6px] px-1.5 py-1 text-left",
              isPicked ? "bg-ink text-paper" : "hover:bg-[#e2ddd0]",
            )}
          >
            <span className="block truncate text-[12px] font-semibold leading-4">{name}</span>
            <span
              className={cx(
                "block truncate text-[11px] leading-[14px]",
                isPicked ? "text-[#cfd6d2]" : "text-soft",
              )}
            >
              {settingText(view.family, view.chain, key)}
            </span>
          </button>
        );
      })}
    </div>
  );
}
