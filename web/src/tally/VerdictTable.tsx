import { Section } from "../frame/Section";
import { type AreaUnit, area } from "../lib/format";
import { Choice } from "../ui/Choice";
import { HeadRow } from "../ui/HeadRow";
import { Warning } from "../ui/Messages";
import type { ClassStanding } from "./verdicts";

/** What the areas of the table are: of all patches, or without those that were rejected. */
export type Counted = "mapped" | "reviewed";

interface Props {
  standings: readonly ClassStanding[];
  unit: AreaUnit;
  counted: Counted;
  setCounted(counted: Counted): void;
  /** Whether parts of patches by zone are known. */
  zonesKnown: boolean;
}

/** Areas by what reviewers said: confirmed and open are counted, rejected are not. */
export function VerdictTable({ standings, unit, counted, setCounted, zonesKnown }: Props) {
  const shown = unit === "cells" || unit === "percent" ? "km2" : unit;
  const written = (areaM2: number) =>
    areaM2 === 0 ? "·" : area({ areaM2, cells: 0, sharePercent: 0 }, shown);
  return (
    <Section title="By verdict">
      <Choice<Counted>
        label="What is counted"
        value={counted}
        onChange={setCounted}
        options={[
          { value: "mapped", name: "As mapped" },
          { value: "reviewed", name: "Without rejected", hint: "Confirmed and open patches" },
        ]}
      />
      {counted === "reviewed" && !zonesKnown && (
        <div className="mt-2">
          <Warning>
            This map is older than areas of patches by zone: what was rejected is taken off the
            whole map alone. Write the map anew to have it by zone.
          </Warning>
        </div>
      )}
      <table className="mt-2 w-full" aria-label="Areas by verdict">
        <HeadRow names={[shown === "km2" ? "km²" : shown, "real", "open", "false"]} />
        <tbody>
          {standings.map(({ row, realM2, openM2, falseM2 }) => (
            <tr key={row.label}>
              <th scope="row" className="max-w-[120px] truncate text-left font-medium">
                {row.name}
              </th>
              <td className="text-right font-mono text-[12.5px]">{written(realM2)}</td>
              <td className="text-right font-mono text-[12.5px]">{written(openM2)}</td>
              <td className="text-right font-mono text-[12.5px] text-soft">{written(falseM2)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}
