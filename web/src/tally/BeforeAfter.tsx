import { HeadRow } from "../ui/HeadRow";

/** Less than this is the rounding of sums, m². */
const LEAST_M2 = 0.5;

/** A class with its areas before and after edits, m². */
export interface ClassBeforeAfter {
  label: number;
  name: string;
  color: string;
  beforeM2: number;
  afterM2: number;
}

interface Props {
  label: string;
  /** Heads of the columns: what areas are in, before, after. */
  heads: readonly [unit: string, before: string, after: string];
  rows: readonly ClassBeforeAfter[];
  /** Written where nothing differs. */
  none: string;
  /** An area as it is written, without its unit. */
  text(m2: number): string;
}

/** Areas of classes before and after edits, side by side, with what they differ by. */
export const BeforeAfter = ({ label, heads, rows, none, text }: Props) => (
  <table className="w-full [&_td]:pl-2" aria-label={label}>
    <HeadRow names={[...heads, "difference"]} />
    <tbody>
      {rows.map((row) => (
        <tr key={row.label}>
          <th scope="row" className="max-w-[120px] truncate text-left font-medium" title={row.name}>
            <span
              className="mr-1.5 inline-block h-2.5 w-2.5 rounded-[2px]"
              style={{ background: row.color }}
              aria-hidden
            />
            {row.name}
          </th>
          <td className="text-right font-mono text-[12.5px] text-soft">{text(row.beforeM2)}</td>
          <td className="text-right font-mono text-[12.5px]">{text(row.afterM2)}</td>
          <td className="text-right font-mono text-[12.5px]">
            {differenceText(row.afterM2 - row.beforeM2, none, text)}
          </td>
        </tr>
      ))}
    </tbody>
  </table>
);

/** A difference of areas with its sign. */
function differenceText(m2: number, none: string, text: (m2: number) => string): string {
  if (Math.abs(m2) < LEAST_M2) {
    return none;
  }
  return `${m2 > 0 ? "+" : "−"}${text(Math.abs(m2))}`;
}
