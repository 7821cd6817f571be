import { Pencil } from "lucide-react";
import type { LegendClass } from "@hindglance/core/classify/settings";
import { plainName } from "@hindglance/core/change/twinNames";
import { Button } from "../ui/Button";
import { ColourChoice } from "../compare/ColourChoice";
import { Pick } from "../ui/Pick";
import { Pop } from "../ui/Pop";
import { TextField } from "../ui/TextField";
import { LEGEND_COLOURS } from "@hindglance/core/classify/legend";

interface Props {
  one: LegendClass;
  others: readonly LegendClass[];
  onChange(part: Partial<LegendClass>): void;
  /** Gives what is known of its ground to another class. */
  onMerge(other: number): void;
  onDelete(): void;
}

/** Name, colour and note of a class. */
export function EditLegendClass({ one, others, onChange, onMerge, onDelete }: Props) {
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
          others.some(({ name }) => plainName(name) === plainName(typed))
            ? "Another class has this name already."
            : null
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
      {others.length > 0 && (
        <div className="mb-3 flex items-center justify-between gap-2">
          <span>Merge into</span>
          <Pick
            label={`Merge ${one.name} into`}
            className="w-[180px]"
            placeholder="another class …"
            value=""
            onChange={(label) => onMerge(Number(label))}
            options={others.map(({ label, name }) => ({ value: String(label), name }))}
          />
        </div>
      )}
      <div className="flex justify-end">
        <Button onClick={onDelete}>Delete class and its areas</Button>
      </div>
    </Pop>
  );
}
