import { Link } from "react-router";
import type { MapEdited } from "@hindglance/contract/changeMaps";
import type { EditKind } from "@hindglance/core/edit/edits";
import type { ChangeMap, TallyRow } from "../api/types";
import { Section } from "../frame/Section";
import { type AreaUnit, area, number } from "../lib/format";
import { HeadRow } from "../ui/HeadRow";
import { Hint } from "../ui/Hint";

const EXPLAINED =
  "Areas of this map beside those of the map that was edited. Cells belong to the patch in whose outline their centres lie.";

const ACTS: { kind: EditKind; words: string }[] = [
  { kind: "draw", words: "drawn" },
  { kind: "reshape", words: "reshaped" },
  { kind: "cut", words: "cut" },
  { kind: "merge", words: "merged" },
  { kind: "relabel", words: "given another class" },
  { kind: "remove", words: "deleted" },
];

/** What was done, in words: each kind with how often. */
const actsText = (acts: MapEdited["acts"]): string =>
  ACTS.flatMap(({ kind, words }) => {
    const count = acts[kind];
    return count ? [`${words} ${number(count)}\u00a0×`] : [];
  }).join(", ");

interface Props {
  map: ChangeMap;
  unit: AreaUnit;
}

/** The table of an edited map beside that of the map that was edited; nothing for other maps. */
export function EditedFrom({ map, unit }: Props) {
  const { edited, rowsBefore, rows } = map;
  if (!edited) {
    return null;
  }
  const shown = unit === "cells" || unit === "percent" ? "km2" : unit;
  const whole = rowsBefore.filter(({ zone, label }) => zone === null && label > 0);
  const now = (label: number): TallyRow | undefined =>
    rows.find((row) => row.zone === null && row.label === label);
  const text = (areaM2: number) => area({ areaM2, cells: 0, sharePercent: 0 }, shown);
  return (
    <Section title={<Hint text={EXPLAINED}>Edited by hand</Hint>}>
      <p className="mb-2 text-soft">
        From{" "}
        <Link className="text-spruce underline" to={`?map=${edited.from.id}`}>
          {edited.from.name}
        </Link>{" "}
        by {edited.editors.join(", ")}: {actsText(edited.acts)}.
      </p>
      <table className="w-full [&_td]:pl-2" aria-label="Areas before and after edits">
        <HeadRow
          names={[shown === "km2" ? "km²" : shown, "before edits", "edited", "difference"]}
        />
        <tbody>
          {whole.map((row) => {
            const after = now(row.label)?.areaM2 ?? 0;
            return (
              <tr key={row.label}>
                <th scope="row" className="max-w-[110px] truncate text-left font-medium">
                  {row.name}
                </th>
                <td className="text-right font-mono text-[12.5px] text-soft">{text(row.areaM2)}</td>
                <td className="text-right font-mono text-[12.5px]">{text(after)}</td>
                <td className="text-right font-mono text-[12.5px]">
                  {differenceText(after - row.areaM2, text)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </Section>
  );
}

/** Less than this is the rounding of sums. */
const LEAST_M2 = 0.5;

/** A difference of areas with its sign. */
function differenceText(m2: number, text: (m2: number) => string): string {
  if (Math.abs(m2) < LEAST_M2) {
    return "·";
  }
  return `${m2 > 0 ? "+" : "−"}${text(Math.abs(m2))}`;
}
