import { Section } from "../frame/Section";
import { type AreaUnit, area } from "../lib/format";
import { HeadRow } from "../ui/HeadRow";
import { Hint } from "../ui/Hint";
import type { ProbableRow } from "./probable";

interface Props {
  rows: readonly ProbableRow[];
  unit: AreaUnit;
}

const EXPLAINED =
  "Each cell counts for every class by its probability: by how the classes of this map look, and by what lies around the cell. The interval takes cells near each other to be right or wrong together. It knows nothing of what no cell shows, as reeds that stand in water, nor of a class that means something else on the ground.";

/** Areas as mapped beside those that are probable, with their 95 % intervals. */
export function ProbableTable({ rows, unit }: Props) {
  const shown = unit === "cells" || unit === "percent" ? "km2" : unit;
  const written = (areaM2: number) =>
    areaM2 === 0 ? "·" : area({ areaM2, cells: 0, sharePercent: 0 }, shown);
  return (
    <Section title="Mapped and probable">
      <table className="w-full" aria-label="Areas mapped and probable">
        <HeadRow names={[shown === "km2" ? "km²" : shown, "mapped", "probable", "± 95 %"]} />
        <tbody>
          {rows.map(({ row, probable }) => (
            <tr key={row.label}>
              <th scope="row" className="max-w-[120px] truncate text-left font-medium">
                {row.name}
              </th>
              <td className="text-right font-mono text-[12.5px]">{written(row.areaM2)}</td>
              <td className="text-right font-mono text-[12.5px]">{written(probable.areaM2)}</td>
              <td className="text-right font-mono text-[12.5px] text-soft">
                {written(probable.halfM2)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-label text-soft">
        <Hint text={EXPLAINED}>How probable areas are found</Hint>
      </p>
    </Section>
  );
}
