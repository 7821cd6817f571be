import type { ClassRule, Layer } from "@hindglance/core/change/rules";
import { plainName } from "@hindglance/core/change/twinNames";
import type { Scene } from "../../api/types";
import { dayYear } from "../../lib/format";
import { Button } from "../../ui/Button";
import { cx } from "../../ui/cx";
import { Pick } from "../../ui/Pick";
import { Pop } from "../../ui/Pop";
import { TextField } from "../../ui/TextField";
import { ColourChoice } from "../ColourChoice";
import type { LayerUnit } from "../units";
import { MOST_CONDITIONS, turned } from "./changes";
import { ConditionRow } from "./ConditionRow";

interface Props {
  covers: readonly Scene[];
  cover: Scene | null;
  pickCover(id: string): void;
  unit: LayerUnit;
  /** Threshold that a new condition begins with. */
  start: number;
  rule: ClassRule;
  /** Names of the other classes, as they are compared. */
  taken: readonly string[];
  /** Whether there is no other class. */
  only: boolean;
  layers: readonly Layer[];
  onChange(apply: (rule: ClassRule) => ClassRule): void;
  onDelete(): void;
}

/** A class: its name, its colour, and when a cell belongs to it. */
export function EditClass(props: Props) {
  const { covers, cover, pickCover, start, rule, taken, only, onChange, onDelete } = props;
  const looksAtCover = rule.all.some(({ layer }) => layer === "cover");
  return (
    <Pop label={`Class ${rule.name}`} width={330} trigger={<ClassButton rule={rule} />}>
      <TextField
        label="Name"
        value={rule.name}
        longest={60}
        problem={(typed) =>
          taken.includes(plainName(typed))
            ? "Another class has this name already: the tally could not tell them apart."
            : null
        }
        onKeep={(name) => name && onChange((old) => ({ ...old, name }))}
      />
      <div className="mb-3">
        <span className="mb-1 block font-medium">Colour</span>
        <ColourChoice
          value={rule.color}
          onChange={(color) => onChange((old) => ({ ...old, color }))}
        />
      </div>
      <span className="mb-1 block font-medium">A cell belongs to it when</span>
      {rule.all.map((_condition, k) => (
        <ConditionRow key={k} {...props} index={k} />
      ))}
      {covers.length > 1 && looksAtCover && (
        <Pick
          label="Classified raster"
          value={cover?.id ?? ""}
          onChange={pickCover}
          options={covers.map(({ id, name, acquiredAt }) => ({
            value: id,
            name,
            note: acquiredAt ? dayYear(acquiredAt) : "",
          }))}
        />
      )}
      <div className="mt-3 flex justify-between">
        <Button
          disabled={rule.all.length >= MOST_CONDITIONS}
          onClick={() =>
            onChange((old) => ({
              ...old,
              all: [...old.all, { layer: "after", op: "<", value: start }],
            }))
          }
        >
          Add condition
        </Button>
        <span className="flex gap-1.5">
          <Button onClick={() => onChange(turned(!!rule.off))}>
            {rule.off ? "Turn on" : "Turn off"}
          </Button>
          <Button disabled={only} onClick={onDelete}>
            Delete class
          </Button>
        </span>
      </div>
    </Pop>
  );
}

const ClassButton = ({ rule, ...trigger }: { rule: ClassRule }) => (
  <button
    type="button"
    title="Edit this class"
    {...trigger}
    className={cx(
      "flex flex-1 items-center gap-2.5 text-left font-semibold hover:underline",
      rule.off && "text-soft",
    )}
  >
    <span
      className="h-3 w-3 shrink-0 rounded-[3px]"
      style={{ background: rule.color }}
      aria-hidden
    />
    {rule.name}
  </button>
);
