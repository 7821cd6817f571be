import { Link } from "react-router";
import type { MapEdited } from "@hindglance/contract/changeMaps";
import type { EditKind } from "@hindglance/core/edit/edits";
import type { ChangeMap } from "../api/types";
import { Section } from "../frame/Section";
import { type AreaUnit, area, number } from "../lib/format";
import { Hint } from "../ui/Hint";
import { BeforeAfter } from "./BeforeAfter";

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
  const { edited, rowsBefore } = map;
  if (!edited) {
    return null;
  }
  const shown = unit === "cells" || unit === "percent" ? "km2" : unit;
  const rows = rowsBefore
    .filter(({ zone, label }) => zone === null && label > 0)
    .map(({ label, name, color, areaM2 }) => {
      const now = map.rows.find((row) => row.zone === null && row.label === label);
      return { label, name, color, beforeM2: areaM2, afterM2: now?.areaM2 ?? 0 };
    });
  return (
    <Section title={<Hint text={EXPLAINED}>Edited by hand</Hint>}>
      <p className="mb-2 text-soft">
        From{" "}
        <Link className="text-spruce underline" to={`?map=${edited.from.id}`}>
          {edited.from.name}
        </Link>{" "}
        by {edited.editors.join(", ")}: {actsText(edited.acts)}.
      </p>
      <BeforeAfter
        label="Areas before and after edits"
        heads={[shown === "km2" ? "km²" : shown, "before edits", "edited"]}
        rows={rows}
        none="·"
        text={(areaM2) => area({ areaM2, cells: 0, sharePercent: 0 }, shown)}
      />
    </Section>
  );
}
