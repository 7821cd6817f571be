import { type CoverClass, transitionLabel } from "@hindglance/core/cover/coverClass";
import type { FromToTable, Ground } from "@hindglance/core/cover/fromToTable";
import { cx } from "../../ui/cx";
import { type Unit, said } from "./units";

/** A cell of the table: what was, and what it became, by their places. */
export interface Picked {
  from: number;
  to: number;
}

interface Props {
  classes: readonly CoverClass[];
  table: FromToTable;
  unit: Unit;
  picked: Picked | null;
  /** Labels of transitions that hardly happen. */
  unlikely: readonly number[];
  onPick(picked: Picked | null): void;
}

/** Clay by strength: the larger a change, the fuller. */
function shade(part: Ground, most: number): { background: string } | undefined {
  if (part.cells === 0) {
    return undefined;
  }
  const percent = Math.round(8 + 52 * Math.sqrt(part.areaM2 / most));
  return { background: `color-mix(in srgb, #b9562b ${percent}%, #faf8f3)` };
}

const mostChanged = ({ cells }: FromToTable): number => {
  const changed = cells.flatMap((row, from) => row.filter((_part, to) => to !== from));
  return Math.max(1, ...changed.map(({ areaM2 }) => areaM2));
};

/** What was (rows) and what it became (columns); a cell that is picked is shown on the map. */
export function FromToTableView(props: Props) {
  const { classes, table, unit } = props;
  const most = mostChanged(table);
  return (
    <div className="shrink-0 overflow-x-auto rounded-card border border-line bg-paper px-4 py-3">
      <table className="w-full border-separate border-spacing-[3px]">
        <caption className="sr-only">What ground was, in rows, and became, in columns</caption>
        <thead>
          <tr>
            <th scope="col" className="text-left text-label font-normal text-soft">
              from ↓ to →
            </th>
            {classes.map((one) => (
              <th key={one.name} scope="col" className="px-1 text-right font-semibold">
                <Name one={one} />
              </th>
            ))}
            <th scope="col" className="px-2 text-right text-label font-normal text-soft">
              before
            </th>
            <th scope="col" className="px-2 text-right text-label font-normal text-soft">
              loss
            </th>
          </tr>
        </thead>
        <tbody>
          {classes.map((one, from) => (
            <Row key={one.name} {...props} from={from} most={most} />
          ))}
        </tbody>
        <tfoot>
          {(["after", "gain", "net", "swap"] as const).map((what, k) => (
            <tr key={what}>
              <th
                scope="row"
                title={FOOT[what]}
                className={cx(
                  "py-0.5 text-left text-label font-normal text-soft",
                  k === 0 && "border-t border-line",
                )}
              >
                {what}
              </th>
              {table.classes.map((balance, to) => (
                <td
                  key={classes[to]!.name}
                  className={cx(
                    "px-2 py-0.5 text-right font-mono text-[12.5px]",
                    k === 0 && "border-t border-line font-semibold",
                  )}
                >
                  {said(balance[what], unit, balance.before, balance.after)}
                </td>
              ))}
              <td colSpan={2} />
            </tr>
          ))}
        </tfoot>
      </table>
    </div>
  );
}

const FOOT = {
  after: "What the class is after",
  gain: "What other classes became it",
  net: "After less before",
  swap: "What changed places without changing the total: twice the smaller of gain and loss",
};

const Name = ({ one }: { one: CoverClass }) => (
  <span className="inline-flex items-center gap-1.5">
    <span aria-hidden className="h-2.5 w-2.5 rounded-[3px]" style={{ background: one.color }} />
    {one.name}
  </span>
);

function Row({
  classes,
  table,
  unit,
  picked,
  onPick,
  unlikely,
  from,
  most,
}: Props & { from: number; most: number }) {
  const one = classes[from]!;
  const balance = table.classes[from]!;
  const isHardly = (to: number) =>
    table.cells[from]![to]!.cells > 0 &&
    unlikely.includes(transitionLabel(from, to, classes.length));
  const total = "px-2 text-right font-mono text-[12.5px]";
  return (
    <tr>
      <th scope="row" className="py-0.5 text-left font-semibold">
        <Name one={one} />
      </th>
      {table.cells[from]!.map((part, to) => {
        const isPicked = picked?.from === from && picked.to === to;
        const isSame = from === to;
        return (
          <td key={to} className="p-0">
            <button
              type="button"
              disabled={part.cells === 0}
              aria-pressed={isPicked}
              onClick={() => onPick(isPicked ? null : { from, to })}
              className={cx(
                "w-full rounded-[5px] px-2 py-0.5 text-right font-mono text-[12.5px]",
                isSame && part.cells > 0 && "bg-[#e4e0d5]",
                isPicked && "outline outline-2 outline-spruce",
              )}
              style={isSame ? undefined : shade(part, most)}
            >
              <span className="sr-only">{`${one.name} to ${classes[to]!.name}: `}</span>
              {isHardly(to) && (
                <span title="Hardly happens: to be looked at" className="mr-1 text-warnink">
                  ?<span className="sr-only"> hardly happens, </span>
                </span>
              )}
              {part.cells === 0 ? "·" : said(part, unit, balance.before, table.classes[to]!.after)}
            </button>
          </td>
        );
      })}
      <td className={cx(total, "font-semibold")}>
        {said(balance.before, unit, balance.before, table.total)}
      </td>
      <td className={total}>{said(balance.loss, unit, balance.before, table.total)}</td>
    </tr>
  );
}
