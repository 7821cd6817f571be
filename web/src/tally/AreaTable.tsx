import type { TallyRow } from "../api/types";
import { type AreaUnit, area } from "../lib/format";
import { cx } from "../ui/cx";
import { type AreasOfMap, NO_CHANGE } from "./table";

interface Props {
  areas: AreasOfMap;
  unit: AreaUnit;
  /** The class that is shown alone; null shows all. */
  only: number | null;
  setOnly(label: number | null): void;
}

/** Areas by class and zone; a click on a class shows it alone on the map. */
export function AreaTable({ areas, unit, only, setOnly }: Props) {
  return (
    <div className="rounded-card border border-line bg-paper px-4 py-3">
      <table className="w-full border-separate border-spacing-x-1 border-spacing-y-[3px]">
        <caption className="sr-only">Areas by class and zone</caption>
        <thead>
          <tr>
            <th scope="col" className="w-[150px] text-left text-label font-normal text-soft">
              zone
            </th>
            {areas.all.map((row) => (
              <th key={row.label} scope="col" className="text-right font-semibold">
                <ClassName
                  row={row}
                  isOnly={only === row.label}
                  turn={() => setOnly(only === row.label ? null : row.label)}
                />
              </th>
            ))}
            <th scope="col" className="text-right text-label font-normal text-soft">
              seen
            </th>
          </tr>
        </thead>
        <tbody>
          {areas.zones.map((zone) => (
            <ZoneRow key={zone ?? "all"} areas={areas} zone={zone} unit={unit} />
          ))}
        </tbody>
      </table>
    </div>
  );
}

function ClassName({ row, isOnly, turn }: { row: TallyRow; isOnly: boolean; turn(): void }) {
  const isChange = row.label !== NO_CHANGE;
  return (
    <button
      type="button"
      aria-pressed={isOnly}
      disabled={!isChange}
      title={isChange ? "Show only this class on the map" : undefined}
      onClick={turn}
      className={cx("inline-flex items-center gap-1.5 rounded px-1", isOnly && "bg-bone")}
    >
      <span className="h-2.5 w-2.5 rounded-[3px]" style={{ background: row.color }} aria-hidden />
      {row.name}
    </button>
  );
}

/** The fuller, the larger: a change in a zone stands on its colour. */
function shade(row: TallyRow, mostM2: number): { background: string } | undefined {
  if (row.label === NO_CHANGE || row.zone === null || row.cells === 0) {
    return undefined;
  }
  const percent = Math.round(6 + 30 * Math.sqrt(row.areaM2 / mostM2));
  return { background: `color-mix(in srgb, ${row.color} ${percent}%, #faf8f3)` };
}

interface RowProps {
  areas: AreasOfMap;
  zone: string | null;
  unit: AreaUnit;
}

function ZoneRow({ areas, zone, unit }: RowProps) {
  const isWhole = zone === null;
  const whole = areas.zones.length > 1 ? "All" : "Whole map";
  const line = isWhole && "border-t border-line";
  return (
    <tr className={cx(isWhole && "font-semibold")}>
      <th
        scope="row"
        className={cx("py-1 text-left", line, isWhole ? "font-semibold" : "font-medium")}
      >
        {zone ?? whole}
      </th>
      {areas.all.map(({ label }) => {
        const row = areas.find(zone, label);
        return (
          <td
            key={label}
            className={cx(
              "px-2 py-1 text-right font-mono text-[12.5px]",
              isWhole ? line : "rounded-[5px]",
            )}
            style={shade(row, areas.mostM2)}
          >
            {row.cells === 0 ? "·" : area(row, unit)}
          </td>
        );
      })}
      <td className={cx("px-2 text-right font-mono text-[12.5px] text-soft", line)}>
        {area(areas.total(zone), unit)}
      </td>
    </tr>
  );
}
