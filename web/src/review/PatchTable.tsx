import { useEffect, useRef } from "react";
import { ArrowDown, ArrowUp } from "lucide-react";
import { useVirtualizer } from "@tanstack/react-virtual";
import type { ChangeMap, PatchRow } from "../api/types";
import { type LayerUnit } from "../compare/units";
import { number } from "../lib/format";
import { cx } from "../ui/controls";
import { type PatchAsk, type PatchSort, usePatchCount, usePatchRows } from "./patches";

const ROW = 26;
const COLUMNS: { sort: PatchSort; name: string; title: string }[] = [
  { sort: "number", name: "no.", title: "Number, by size" },
  { sort: "area", name: "ha", title: "Area on the ellipsoid, hectares" },
  {
    sort: "perimeter",
    name: "km",
    title: "Length of the outline along cell sides, holes included, kilometres",
  },
  { sort: "measure", name: "change", title: "Mean of the measure over the patch" },
  { sort: "elevation", name: "m", title: "Mean elevation, metres" },
];
const GRID = "grid grid-cols-[14px_56px_1fr_1fr_1fr_50px] items-center gap-x-1.5";

interface Props {
  map: ChangeMap;
  ask: PatchAsk;
  setAsk(apply: (patchAsk: PatchAsk) => PatchAsk): void;
  unit: LayerUnit;
  picked: PatchRow | null;
  /** Row that is to be in view. */ place: number | null;
  pick(patch: PatchRow, place: number): void;
}

/**
 * Patches in a list of any length: only the rows in view are there. Sorted by a click on a head,
 * moved through with J and K or the arrows.
 */
export function PatchTable({ map, ask, setAsk, unit, picked, place, pick }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const colour = new Map(map.info.classes!.map((classInfo) => [classInfo.label, classInfo]));
  const count = usePatchCount(map, ask).data?.count ?? 0;
  const rows = useVirtualizer({
    count,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const items = rows.getVirtualItems();
  const rowOf = usePatchRows(map, ask, [items[0]?.index ?? 0, items[items.length - 1]?.index ?? 0]);
  useEffect(() => {
    if (place !== null) {
      rows.scrollToIndex(place, { align: "auto" });
    }
  }, [rows, place, count]);
  const go = useRef<(distance: number) => void>(() => {});
  go.current = (distance) => {
    const next = place === null ? 0 : Math.max(0, Math.min(count - 1, place + distance));
    const patch = rowOf(next);
    if (patch) {
      pick(patch, next);
    } else {
      rows.scrollToIndex(next);
    }
  };
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (
        e.ctrlKey ||
        e.metaKey ||
        e.altKey ||
        /^(INPUT|TEXTAREA|SELECT)$/.test((e.target as HTMLElement).tagName)
      ) {
        return;
      }
      const distance =
        { j: 1, k: -1 }[e.key.toLowerCase()] ??
        (box.current?.contains(e.target as Node)
          ? { ArrowDown: 1, ArrowUp: -1 }[e.key]
          : undefined);
      if (distance) {
        e.preventDefault();
        go.current(distance);
      }
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, []);
  const sort = (s: PatchSort) =>
    setAsk((patchAsk) => ({
      ...patchAsk,
      sort: s,
      down: patchAsk.sort === s ? !patchAsk.down : s !== "number",
    }));
  return (
    <div
      role="table"
      aria-label="Patches"
      aria-rowcount={count + 1}
      className="flex min-h-0 flex-1 flex-col"
    >
      <div role="row" className={cx(GRID, "border-b border-line px-4 pb-1 text-label text-soft")}>
        <span role="columnheader">
          <span className="sr-only">class</span>
        </span>
        {COLUMNS.map((c) => (
          <span
            key={c.sort}
            role="columnheader"
            aria-sort={ask.sort === c.sort ? (ask.down ? "descending" : "ascending") : "none"}
            className="text-right"
          >
            <button
              type="button"
              title={`${c.title}. Sorts by it.`}
              onClick={() => sort(c.sort)}
              className={cx(
                "inline-flex items-center gap-0.5 hover:text-ink",
                ask.sort === c.sort && "font-semibold text-ink",
              )}
            >
              {ask.sort === c.sort &&
                (ask.down ? (
                  <ArrowDown size={11} aria-hidden />
                ) : (
                  <ArrowUp size={11} aria-hidden />
                ))}
              {c.sort === "measure" && unit.unit ? unit.unit : c.name}
            </button>
          </span>
        ))}
      </div>
      <div
        ref={box}
        tabIndex={0}
        role="rowgroup"
        aria-label="Rows"
        className="min-h-0 flex-1 overflow-y-auto outline-offset-[-2px]"
      >
        <div style={{ height: rows.getTotalSize(), position: "relative" }}>
          {items.map((item) => {
            const patch = rowOf(item.index);
            const classInfo = patch ? colour.get(patch.label) : null;
            return (
              <div
                key={item.key}
                role="row"
                aria-rowindex={item.index + 2}
                aria-selected={!!patch && patch.number === picked?.number}
                onClick={() => {
                  if (patch) {
                    pick(patch, item.index);
                  }
                }}
                style={{ height: ROW, transform: `translateY(${item.start}px)` }}
                className={cx(
                  GRID,
                  "absolute inset-x-0 top-0 cursor-pointer px-4 font-mono text-[12px]",
                  patch && patch.number === picked?.number ? "bg-[#e2ece7]" : "hover:bg-bone",
                )}
              >
                {patch ? (
                  <>
                    <span
                      role="cell"
                      title={classInfo?.name}
                      className="h-2.5 w-2.5 rounded-[3px]"
                      style={{ background: classInfo?.color }}
                    >
                      <span className="sr-only">{classInfo?.name}</span>
                    </span>
                    <span role="cell" className="text-right text-soft">
                      {number(patch.number)}
                    </span>
                    <span role="cell" className="text-right">
                      {number(patch.areaM2 / 1e4, patch.areaM2 < 1e5 ? 2 : 1)}
                    </span>
                    <span role="cell" className="text-right">
                      {patch.perimeterM === null ? "–" : number(patch.perimeterM / 1000, 2)}
                    </span>
                    <span role="cell" className="text-right">
                      {patch.measure === null ? "–" : number(patch.measure, unit.decimals, true)}
                    </span>
                    <span role="cell" className="text-right">
                      {patch.elevation === null ? "–" : number(patch.elevation)}
                    </span>
                  </>
                ) : (
                  <span role="cell" className="col-span-6 text-soft">
                    …
                  </span>
                )}
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}
