import { useState } from "react";
import { Pencil } from "lucide-react";
import type { LegendClass } from "@hindglance/core/classify/settings";
import { plainName } from "@hindglance/core/change/twinNames";
import { Button } from "../ui/Button";
import { Labelled, inputStyle } from "../ui/Labelled";
import { Pop } from "../ui/Pop";
import { LEGEND_COLOURS } from "./changes";

interface Props {
  one: LegendClass;
  /** Names of the other classes, as they are compared. */
  taken: readonly string[];
  onChange(part: Partial<LegendClass>): void;
  onDelete(): void;
}

/** Name, colour and note of a class. */
export function EditLegendClass({ one, taken, onChange, onDelete }: Props) {
  return (
    <Pop
      label={`Class ${one.name}`}
      width={300}
      trigger={
        <button
          type="button"
          aria-label={`Edit ${one.name}`}
          title="Name, colour, note"
          className="rounded p-1 text-soft hover:bg-bone hover:text-ink"
        >
          <Pencil size={13} aria-hidden />
        </button>
      }
    >
      <TextField
        label="Name"
        value={one.name}
        longest={60}
        problem={(typed) =>
          taken.includes(plainName(typed)) ? "Another class has this name already." : null
        }
        onKeep={(name) => name && onChange({ name })}
      />
      <div className="mb-3">
        <span className="mb-1 block font-medium">Colour</span>
        <div role="radiogroup" aria-label="Colour" className="flex flex-wrap gap-1.5">
          {LEGEND_COLOURS.map((color) => (
            <button
              key={color}
              type="button"
              role="radio"
              aria-checked={one.color === color}
              aria-label={color}
              onClick={() => onChange({ color })}
              className="h-6 w-6 rounded-full border-2"
              style={{
                background: color,
                borderColor: one.color === color ? "#1d2a2b" : "transparent",
              }}
            />
          ))}
        </div>
      </div>
      <TextField
        label="Note"
        value={one.note}
        longest={500}
        problem={() => null}
        onKeep={(note) => onChange({ note })}
      />
      <div className="flex justify-end">
        <Button onClick={onDelete}>Delete class and its areas</Button>
      </div>
    </Pop>
  );
}

interface TextProps {
  label: string;
  value: string;
  longest: number;
  problem(typed: string): string | null;
  onKeep(text: string): void;
}

/** A text that is kept on Enter and on leaving, where nothing is wrong with it. */
function TextField({ label, value, longest, problem, onKeep }: TextProps) {
  const [typed, setTyped] = useState<string | null>(null);
  const wrong = typed === null ? null : problem(typed);
  const keep = () => {
    const next = typed?.trim();
    if (next !== undefined && next !== value && wrong === null) {
      onKeep(next);
    }
    setTyped(null);
  };
  return (
    <>
      <Labelled label={label}>
        {(id) => (
          <input
            id={id}
            className={inputStyle}
            maxLength={longest}
            value={typed ?? value}
            onChange={(event) => setTyped(event.target.value)}
            onBlur={keep}
            onKeyDown={(event) => {
              if (event.key === "Enter") {
                event.currentTarget.blur();
              }
            }}
          />
        )}
      </Labelled>
      {wrong && (
        <p role="alert" className="mb-2 text-wrong">
          {wrong}
        </p>
      )}
    </>
  );
}
