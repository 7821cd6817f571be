import type { EditedArea, EditState } from "@hindglance/contract/edits";
import type { ChangeMap } from "../api/types";
import { Section } from "../frame/Section";
import { number } from "../lib/format";

interface Props {
  map: ChangeMap;
  state: EditState | null;
}

/** Less than this is the rounding of sums. */
const LEAST_M2 = 0.5;

/** Square metres in square kilometres, as a table writes them. */
const km2 = (m2: number): string => number(m2 / 1e6, 3);
const signed = (m2: number): string => (Math.abs(m2) < LEAST_M2 ? "0" : number(m2 / 1e6, 3, true));

/** Areas of classes as the map was written and as edits leave them, side by side. */
export function AreasSection({ map, state }: Props) {
  const areaOf = (label: number): EditedArea | undefined =>
    state?.areas.find((one) => one.label === label);
  return (
    <Section title="Areas, km²">
      <table
        className="w-full text-right font-mono text-[12px] [&_td]:pl-3 [&_td]:align-top [&_th]:pl-3 [&_th:first-child]:pl-0"
        aria-label="Areas with edits"
      >
        <thead className="font-sans text-label text-soft">
          <tr>
            <th className="text-left font-normal">class</th>
            <th className="whitespace-nowrap font-normal">as written</th>
            <th className="font-normal">edited</th>
            <th className="font-normal">difference</th>
          </tr>
        </thead>
        <tbody>
          {(map.info.classes ?? []).map(({ label, name, color }) => {
            const one = areaOf(label);
            return (
              <tr key={label}>
                <th className="max-w-[130px] truncate text-left font-sans font-normal" title={name}>
                  <span
                    className="mr-1.5 inline-block h-2.5 w-2.5 rounded-[2px]"
                    style={{ background: color }}
                    aria-hidden
                  />
                  {name}
                </th>
                <td>{one ? km2(one.writtenM2) : "–"}</td>
                <td>{one ? km2(one.editedM2) : "–"}</td>
                <td>{one ? signed(one.editedM2 - one.writtenM2) : "–"}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </Section>
  );
}
