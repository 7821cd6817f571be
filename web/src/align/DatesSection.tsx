import { Section } from "../frame/Section";
import { cx } from "../ui/cx";
import { Pick } from "../ui/Pick";
import type { AlignRow } from "./align";
import { dayOf, stateOf } from "./rows";
import type { Selection } from "./useSelection";

/** Every date with how it lies; which one is laid, and on which. */
export function DatesSection({ selection }: { selection: Selection }) {
  const { rows, reference, referenceId, date, setReference, pickDate } = selection;
  const able = rows.filter((row) => row.aligned && !row.picture);
  return (
    <Section title={`Dates${rows.length ? ` · ${rows.length}` : ""}`}>
      {reference && (
        <div className="mb-2 grid grid-cols-[84px_1fr] items-center">
          <span>Reference</span>
          <Pick
            label="Reference"
            value={reference.sceneId}
            onChange={setReference}
            options={able.map((row) => ({
              value: row.sceneId,
              name: row.name,
              note: dayOf(row) ?? "",
            }))}
          />
        </div>
      )}
      <ul className="-mx-2 max-h-[190px] overflow-y-auto" aria-label="Dates">
        {rows.map((row) => (
          <DateRow
            key={row.sceneId}
            row={row}
            referenceId={referenceId}
            isPicked={row.sceneId === date?.sceneId}
            pick={() => pickDate(row.sceneId)}
          />
        ))}
      </ul>
    </Section>
  );
}

interface RowProps {
  row: AlignRow;
  referenceId: string | null;
  isPicked: boolean;
  pick(): void;
}

/** Full: the reference, or a date that is laid; empty: as it lies. */
function signColour(row: AlignRow, isReference: boolean): string {
  if (isReference) {
    return "border-spruce bg-spruce";
  }
  return row.align?.place ? "border-ink bg-ink" : "border-ink";
}

function DateRow({ row, referenceId, isPicked, pick }: RowProps) {
  const isReference = row.sceneId === referenceId;
  const day = dayOf(row);
  return (
    <li>
      <button
        type="button"
        aria-current={isPicked}
        onClick={pick}
        className={cx(
          "flex w-full items-center gap-2.5 rounded-field px-2 py-1 text-left",
          isPicked ? "bg-bone" : "hover:bg-bone/60",
        )}
      >
        <span
          aria-hidden
          className={cx(
            "h-2.5 w-2.5 shrink-0 border-[1.5px]",
            row.kind === "radar" ? "rotate-45" : "rounded-full",
            signColour(row, isReference),
          )}
        />
        <span className="min-w-0 flex-1">
          <span className="block truncate font-medium">
            {row.name}
            {day && <span className="ml-2 font-normal text-soft">{day}</span>}
          </span>
          <span
            className={cx(
              "block truncate text-label",
              row.problem && !isReference ? "text-warnink" : "text-soft",
            )}
          >
            {stateOf(row, referenceId)}
            {row.align?.level ? " · levelled" : ""}
          </span>
        </span>
      </button>
    </li>
  );
}
