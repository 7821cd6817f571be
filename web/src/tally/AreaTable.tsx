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

/** Classes beyond this number go down the table, not across it. */
const MOST_ACROSS = 8;

/** Areas by class and zone; a click on a class shows it alone on the map. */
export function AreaTable(props: Props) {
  return (
    <div
      className="max-h-[300px] shrink-0 overflow-auto rounded-card border border-line bg-paper px-4 py-3"
      role="region"
      aria-label="Table of areas"
      tabIndex={0}
    >
      <table className="w-full border-separate border-spacing-x-1 border-spacing-y-[3px]">
        <caption className="sr-only">Areas by class and zone</caption>
        {props.areas.all.length > MOST_ACROSS ? (
          <ClassesDown {...props} />
        ) : (
          <ClassesAcross {...props} />
        )}
      </table>
    </div>
  );
}

const nameOfZone = (zone: string | null, { zones }: AreasOfMap): string =>
  zone ?? (zones.length > 1 ? "All" : "Whole map");

/** A row a class, a column a zone. */
function ClassesDown({ areas, unit, only, setOnly }: Props) {
  return (
    <>
      <thead>
        <tr>
          <th scope="col" className="text-left text-label font-normal text-soft">
            class
          </th>
          {areas.zones.map((zone) => (
            <th key={zone ?? "all"} scope="col" className="px-2 text-right font-semibold">
              {nameOfZone(zone, areas)}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {areas.all.map((one) => (
          <tr key={one.label}>
            <th scope="row" className="py-0.5 text-left font-semibold">
              <ClassName row={one} {...{ only, setOnly }} />
            </th>
            {areas.zones.map((zone) => (
              <AreaCell
                key={zone ?? "all"}
                row={areas.find(zone, one.label)}
                {...{ areas, unit }}
              />
            ))}
          </tr>
        ))}
        <tr>
          <th
            scope="row"
            className="border-t border-line py-1 text-left text-label font-normal text-soft"
          >
            seen
          </th>
          {areas.zones.map((zone) => (
            <td
              key={zone ?? "all"}
              className="border-t border-line px-2 text-right font-mono text-[12.5px] text-soft"
            >
              {area(areas.total(zone), unit)}
            </td>
          ))}
        </tr>
      </tbody>
    </>
  );
}

/** A row a zone, a column a class. */
function ClassesAcross({ areas, unit, only, setOnly }: Props) {
  return (
    <>
      <thead>
        <tr>
          <th scope="col" className="w-[150px] text-left text-label font-normal text-soft">
            zone
          </th>
          {areas.all.map((row) => (
            <th key={row.label} scope="col" className="text-right font-semibold">
              <ClassName row={row} {...{ only, setOnly }} />
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
    </>
  );
}

interface NameProps extends Pick<Props, "only" | "setOnly"> {
  row: TallyRow;
}

/** A class; a click shows it alone, another one all. */
function ClassName({ row, only, setOnly }: NameProps) {
  const isChange = row.label > NO_CHANGE;
  const isOnly = only === row.label;
  return (
    <button
      type="button"
      aria-pressed={isOnly}
      disabled={!isChange}
      title={isChange ? "Show only this class on the map" : undefined}
      onClick={() => setOnly(isOnly ? null : row.label)}
      className={cx("inline-flex items-center gap-1.5 rounded px-1", isOnly && "bg-bone")}
    >
      <span
        aria-hidden
        className="h-2.5 w-2.5 shrink-0 rounded-[3px]"
        style={{ background: row.color }}
      />
      {row.name}
    </button>
  );
}

/** The fuller, the larger: a change in a zone stands on its colour. */
function shade(row: TallyRow, mostM2: number): { background: string } | undefined {
  if (row.label <= NO_CHANGE || row.zone === null || row.cells === 0) {
    return undefined;
  }
  const percent = Math.round(6 + 30 * Math.sqrt(row.areaM2 / mostM2));
  return { background: `color-mix(in srgb, ${row.color} ${percent}%, #faf8f3)` };
}

interface CellProps extends Pick<Props, "areas" | "unit"> {
  row: TallyRow;
  className?: string | false;
}

/** The area of a class in a zone, or in the whole map. */
const AreaCell = ({ row, areas, unit, className }: CellProps) => (
  <td
    className={cx(
      "px-2 py-1 text-right font-mono text-[12.5px]",
      row.zone === null ? className : "rounded-[5px]",
    )}
    style={shade(row, areas.mostM2)}
  >
    {row.cells === 0 ? "·" : area(row, unit)}
  </td>
);

interface RowProps {
  areas: AreasOfMap;
  zone: string | null;
  unit: AreaUnit;
}

function ZoneRow({ areas, zone, unit }: RowProps) {
  const isWhole = zone === null;
  const line = isWhole && "border-t border-line";
  return (
    <tr className={cx(isWhole && "font-semibold")}>
      <th
        scope="row"
        className={cx("py-1 text-left", line, isWhole ? "font-semibold" : "font-medium")}
      >
        {nameOfZone(zone, areas)}
      </th>
      {areas.all.map(({ label }) => (
        <AreaCell key={label} row={areas.find(zone, label)} className={line} {...{ areas, unit }} />
      ))}
      <td className={cx("px-2 text-right font-mono text-[12.5px] text-soft", line)}>
        {area(areas.total(zone), unit)}
      </td>
    </tr>
  );
}
