import { ArrowDown, ArrowUp } from "lucide-react";
import type { LayerUnit } from "../compare/units";
import { cx } from "../ui/cx";
import type { PatchQuery, PatchSort } from "./patches";

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
  {
    sort: "doubt",
    name: "doubt",
    title: "Share of the cells that are expected to be something else, percent",
  },
];

/** In the place of the outline, where a second sensor was asked. */
const AGAINST = {
  sort: "against",
  name: "against",
  title: "Share of the patch that the second sensor saw and does not confirm, percent",
} as const;

/** Columns of a map's patches. */
const columnsOf = (isAsked: boolean) =>
  COLUMNS.map((column) => (isAsked && column.sort === "perimeter" ? AGAINST : column));

/** Columns of the head and of every row. */
export const GRID =
  "grid grid-cols-[14px_36px_1.35fr_1.15fr_1fr_34px_46px_14px] items-center gap-x-1.5";

interface Props {
  ask: PatchQuery;
  unit: LayerUnit;
  /** What the column of change sorts by. */
  changeBy: PatchSort;
  /** Whether a second sensor was asked about the map. */
  isAsked: boolean;
  sort(by: PatchSort): void;
}

/** Heads of the columns; a click sorts by one, a second click the other way round. */
export function PatchHead({ ask, unit, changeBy, isAsked, sort }: Props) {
  const Arrow = ask.down ? ArrowDown : ArrowUp;
  const sorted = ask.down ? "descending" : "ascending";
  return (
    <div role="row" className={cx(GRID, "border-b border-line px-4 pb-1 text-label text-soft")}>
      <span role="columnheader">
        <span className="sr-only">class</span>
      </span>
      {columnsOf(isAsked).map((column) => {
        const by = column.sort === "measure" ? changeBy : column.sort;
        const isSorted = ask.sort === by;
        return (
          <span
            key={column.sort}
            role="columnheader"
            aria-sort={isSorted ? sorted : "none"}
            className="text-right"
          >
            <button
              type="button"
              title={`${column.title}. Sorts by it.`}
              onClick={() => sort(by)}
              className={cx(
                "inline-flex items-center gap-0.5 hover:text-ink",
                isSorted && "font-semibold text-ink",
              )}
            >
              {isSorted && <Arrow size={11} aria-hidden />}
              {column.sort === "measure" && unit.unit ? unit.unit : column.name}
            </button>
          </span>
        );
      })}
      <span role="columnheader">
        <span className="sr-only">verdict</span>
      </span>
    </div>
  );
}
