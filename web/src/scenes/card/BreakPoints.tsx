import { Plus, X } from "lucide-react";
import { type Breaks, type Ramp, breakColours } from "../../map/ramps";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/NumberField";
import { MOST_CLASSES, extended, moved, renamed, without } from "./breaks";

interface Props {
  breaks: Breaks;
  ramp: Ramp;
  onChange(breaks: Breaks): void;
}

/** Flat colours between break points: each class with its name and upper end. */
export function BreakPoints({ breaks, ramp, onChange }: Props) {
  const { names, at } = breaks;
  const colours = breakColours(breaks, ramp);
  return (
    <ul className="mt-2 space-y-1" aria-label="Break points">
      {names.map((name, k) => (
        <li key={k} className="flex items-center gap-2">
          <span
            aria-hidden
            className="h-3 w-3 shrink-0 rounded-[3px]"
            style={{ background: colours[k] }}
          />
          <input
            aria-label={`Name of class ${k + 1}`}
            maxLength={40}
            className="h-7 min-w-0 flex-1 rounded-field border border-line bg-white px-2"
            value={name}
            onChange={(event) => onChange(renamed(breaks, k, event.target.value))}
          />
          {k < at.length && (
            <span className="flex items-center gap-1 text-soft">
              up to{" "}
              <NumberField
                label={`Break point ${k + 1}`}
                decimals={2}
                step={0.05}
                value={at[k]!}
                onCommit={(value) => onChange(moved(breaks, k, value))}
              />
            </span>
          )}
          {names.length > 2 && (
            <button
              type="button"
              aria-label={`Remove ${name}`}
              className="text-soft hover:text-wrong"
              onClick={() => onChange(without(breaks, k))}
            >
              <X size={13} aria-hidden />
            </button>
          )}
        </li>
      ))}
      <li>
        <Button
          tone="quiet"
          className="h-6 px-1.5"
          disabled={names.length >= MOST_CLASSES}
          onClick={() => onChange(extended(breaks))}
        >
          <Plus size={13} aria-hidden />
          Class
        </Button>
      </li>
    </ul>
  );
}
