import { Pencil } from "lucide-react";
import type { LegendClass } from "@hindglance/core/classify/settings";
import { plainName } from "@hindglance/core/change/twinNames";
import { Button } from "../ui/Button";
import { ColourChoice } from "../compare/ColourChoice";
import { Pop } from "../ui/Pop";
import { TextField } from "../ui/TextField";
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
        <ColourChoice
          value={one.color}
          colours={LEGEND_COLOURS}
          onChange={(color) => onChange({ color })}
        />
      </div>
      <TextField
        label="Note"
        value={one.note}
        longest={500}
        onKeep={(note) => onChange({ note })}
      />
      <div className="flex justify-end">
        <Button onClick={onDelete}>Delete class and its areas</Button>
      </div>
    </Pop>
  );
}
