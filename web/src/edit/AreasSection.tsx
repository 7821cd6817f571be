import type { EditState } from "@hindglance/contract/edits";
import type { ChangeMap } from "../api/types";
import { Section } from "../frame/Section";
import { number } from "../lib/format";
import { BeforeAfter } from "../tally/BeforeAfter";

interface Props {
  map: ChangeMap;
  /** null until it is known. */
  state: EditState | null;
}

/** Areas of classes as the map was written and as edits leave them, side by side. */
export function AreasSection({ map, state }: Props) {
  const rows = (map.info.classes ?? []).flatMap(({ label, name, color }) => {
    const own = state?.areas.find((one) => one.label === label);
    return own ? [{ label, name, color, beforeM2: own.writtenM2, afterM2: own.editedM2 }] : [];
  });
  return (
    <Section title="Areas">
      <BeforeAfter
        label="Areas with edits"
        heads={["km²", "as written", "edited"]}
        rows={rows}
        none="0"
        text={(m2) => number(m2 / 1e6, 3)}
      />
    </Section>
  );
}
