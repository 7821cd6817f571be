import { type RefObject, useEffect, useEffectEvent, useRef } from "react";
import { useVirtualizer } from "@tanstack/react-virtual";
import type { Verdict } from "@hindglance/core/review/standing";
import type { ChangeMap } from "../api/types";
import type { LayerUnit } from "../compare/units";
import { isTyping } from "../frame/typing";
import { PatchHead } from "./PatchHead";
import { PatchLine } from "./PatchLine";
import { VERDICT_WORDS } from "./useVerdicts";
import { type PatchSort, changeSort, usePatchCount, usePatchRows } from "./patches";
import type { ReviewOnScreen } from "./useReview";

/** Height of a row, pixels. */
const ROW = 26;
/** Rows beyond the view that are there already. */
const OVERSCAN = 12;

/** Rows that J, K and, inside the list, the arrows go on by. */
function stepOf(event: KeyboardEvent, isInside: boolean): number {
  switch (event.key) {
    case "j":
    case "J":
      return 1;
    case "k":
    case "K":
      return -1;
    case "ArrowDown":
      return isInside ? 1 : 0;
    case "ArrowUp":
      return isInside ? -1 : 0;
    default:
      return 0;
  }
}

/** The verdict that a key says. */
const verdictOf = ({ key }: KeyboardEvent): Verdict | null =>
  VERDICT_WORDS.find((one) => one.key === key.toUpperCase())?.verdict ?? null;

interface ListKeys {
  go(step: number): void;
  judge(verdict: Verdict): void;
}

/** Goes through the list by keys, and says verdicts. */
function useListKeys(box: RefObject<HTMLElement | null>, { go, judge }: ListKeys): void {
  const onStep = useEffectEvent(go);
  const onVerdict = useEffectEvent(judge);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event)) {
        return;
      }
      const { target } = event;
      const step = stepOf(event, target instanceof Node && !!box.current?.contains(target));
      if (step) {
        event.preventDefault();
        onStep(step);
      }
      const verdict = verdictOf(event);
      if (verdict) {
        event.preventDefault();
        onVerdict(verdict);
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [box]);
}

interface Props {
  map: ChangeMap;
  review: ReviewOnScreen;
  /** Of the measure. */
  unit: LayerUnit;
}

/**
 * Patches in a list of any length: only the rows in view are there. Sorted by a click on a head,
 * moved through with J and K or the arrows; R, F and O say of the picked one that it is real, false or
 * open, and go on to the next.
 */
export function PatchTable({ map, review, unit }: Props) {
  const { ask, change, picked, place, pickRow } = review;
  const box = useRef<HTMLDivElement>(null);
  const count = usePatchCount(map, ask).data?.count ?? 0;
  // The list keeps what it has measured in itself: this component is not to be memoised, and is not.
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({
    count,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: OVERSCAN,
  });
  const items = rows.getVirtualItems();
  const rowOf = usePatchRows(map, ask, [items[0]?.index ?? 0, items.at(-1)?.index ?? 0]);
  useEffect(() => {
    if (place !== null) {
      rows.scrollToIndex(place, { align: "auto" });
    }
  }, [rows, place, count]);
  const go = (step: number) => {
    const next = place === null ? 0 : Math.max(0, Math.min(count - 1, place + step));
    const patch = rowOf(next);
    if (patch) {
      pickRow(patch, next);
    } else {
      rows.scrollToIndex(next);
    }
  };
  const judge = (verdict: Verdict) => {
    if (review.judge(verdict)) {
      go(1);
    }
  };
  useListKeys(box, { go, judge });
  const sort = (by: PatchSort) =>
    change({ sort: by, down: ask.sort === by ? !ask.down : by !== "number" });
  return (
    <div
      role="table"
      aria-label="Patches"
      aria-rowcount={count + 1}
      className="flex min-h-0 flex-1 flex-col"
    >
      <PatchHead
        ask={ask}
        unit={unit}
        changeBy={changeSort(map)}
        isAsked={map.confirmed !== null}
        sort={sort}
      />
      <div
        ref={box}
        tabIndex={0}
        role="rowgroup"
        aria-label="Rows"
        className="min-h-0 flex-1 overflow-y-auto outline-offset-[-2px]"
      >
        <div style={{ height: rows.getTotalSize(), position: "relative" }}>
          {items.map(({ key, index, start }) => (
            <PatchLine
              key={key}
              map={map}
              patch={rowOf(index)}
              index={index}
              isPicked={picked !== null && rowOf(index)?.number === picked.number}
              unit={unit}
              style={{ height: ROW, transform: `translateY(${start}px)` }}
              pick={pickRow}
            />
          ))}
        </div>
      </div>
    </div>
  );
}
