import { Section } from "../frame/Section";
import { type AreaUnit, area } from "../lib/format";
import { HeadRow } from "../ui/HeadRow";
import { Hint } from "../ui/Hint";
import type { AreaRow } from "./probable";

interface Props {
  rows: readonly AreaRow[];
  unit: AreaUnit;
  /** Name of the sample that adjusts areas; null without one. */
  sample: string | null;
}

const PROBABLE =
  "Each cell counts for every class by its probability: by how the classes of this map look, and by what lies around the cell. The interval takes cells near each other to be right or wrong together. It knows nothing of what no cell shows, as reeds that stand in water, nor of a class that means something else on the ground.";
const ADJUSTED =
  "What somebody saw at the places of a sample, each standing for its share of the map (Olofsson et al. 2014). The interval is that of the sample alone: it does not rest on the map being right.";

/** Areas as mapped beside those that are probable and those that a sample adjusts, with 95 % intervals. */
export function ProbableTable({ rows, unit, sample }: Props) {
  const shown = unit === "cells" || unit === "percent" ? "km2" : unit;
  const written = (areaM2: number) =>
    areaM2 === 0 ? "·" : area({ areaM2, cells: 0, sharePercent: 0 }, shown);
  const unitName = shown === "km2" ? "km²" : shown;
  const hasAdjusted = rows.some(({ adjusted }) => adjusted);
  const around = (low: number | null, high: number | null) =>
    low === null || high === null ? "" : `${written(Math.max(0, low))}–${written(high)}`;
  return (
    <Section title={hasAdjusted ? "Mapped, probable, adjusted" : "Mapped and probable"}>
      <table className="w-full" aria-label="Areas mapped, probable and adjusted">
        <HeadRow
          names={[unitName, "mapped", "probable", ...(hasAdjusted ? ["adjusted"] : ["± 95 %"])]}
        />
        <tbody className="font-mono text-[12.5px]">
          {rows.map(({ row, probable, adjusted }) => (
            <tr key={row.label} className="align-top">
              <th
                scope="row"
                title={row.name}
                className="max-w-[104px] truncate text-left font-sans text-[13px] font-medium"
              >
                {row.name}
              </th>
              <td className="text-right">{written(row.areaM2)}</td>
              <Cell
                value={probable && written(probable.areaM2)}
                under={
                  hasAdjusted && probable
                    ? around(probable.areaM2 - probable.halfM2, probable.areaM2 + probable.halfM2)
                    : ""
                }
              />
              {hasAdjusted ? (
                <Cell
                  value={adjusted && written(adjusted.value)}
                  under={adjusted ? around(adjusted.low, adjusted.high) : ""}
                />
              ) : (
                <td className="text-right text-soft">{probable && written(probable.halfM2)}</td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 flex gap-3 text-label text-soft">
        <Hint text={PROBABLE}>Probable</Hint>
        {hasAdjusted && (
          <>
            <Hint text={ADJUSTED}>Adjusted</Hint>
            <span>by {sample}</span>
          </>
        )}
      </p>
    </Section>
  );
}

/** A figure with its interval under it. */
const Cell = ({ value, under }: { value: string | null; under: string }) => (
  <td className="pl-1.5 text-right">
    {value ?? "–"}
    {under && <div className="whitespace-nowrap text-[10.5px] leading-3 text-soft">{under}</div>}
  </td>
);
