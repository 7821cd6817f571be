import { LAYER_WORDS } from "@hindglance/core/change/layerWords";
import {
  type Confirms,
  SAYS,
  SECOND_LAYERS,
  type SecondSensor,
} from "@hindglance/core/change/second";
import type { ClassInfo } from "@hindglance/core/graph/image";
import { Button } from "../../ui/Button";
import { Chip } from "../../ui/Chip";
import { NumberField } from "../../ui/NumberField";
import { Pick } from "../../ui/Pick";

interface Props {
  second: SecondSensor;
  classes: readonly ClassInfo[];
  /** A condition to begin with; null while its scene is not there. */
  begin: Omit<Confirms, "labels"> | null;
  change(confirms: Confirms | null): void;
}

/** What confirms which classes: a condition on what the second sensor saw. */
export function ConfirmsFields({ second, classes, begin, change }: Props) {
  const { confirms } = second;
  if (!confirms) {
    return (
      <Button
        className="mb-2"
        disabled={!begin || classes.length === 0}
        onClick={() => begin && change({ labels: [classes[0]!.label], ...begin })}
      >
        Ask about classes
      </Button>
    );
  }
  const set = (some: Partial<Confirms>) => change({ ...confirms, ...some });
  const layers = SECOND_LAYERS.filter(
    (layer) => layer === "secondAfter" || second.beforeId !== null || layer === confirms.layer,
  );
  return (
    <fieldset className="mb-2">
      <legend className="mb-1">Confirms where</legend>
      <div className="mb-1.5 flex items-center gap-1.5">
        <Pick
          label="Layer that confirms"
          className="w-0 flex-1"
          value={confirms.layer}
          onChange={(layer) => set({ layer })}
          options={layers.map((layer) => ({ value: layer, name: LAYER_WORDS[layer].word }))}
        />
        <Pick
          label="Side that confirms"
          className="w-[58px]"
          value={confirms.op}
          onChange={(op) => set({ op })}
          options={SAYS.map((op) => ({ value: op, name: op }))}
        />
        <NumberField
          label="Value that confirms"
          decimals={2}
          step={0.05}
          min={-1000}
          max={10000}
          value={confirms.value}
          onCommit={(value) => set({ value })}
        />
      </div>
      <Classes confirms={confirms} classes={classes} set={set} />
    </fieldset>
  );
}

/** Classes that are asked about; one is left at least. */
function Classes({
  confirms: { labels },
  classes,
  set,
}: Pick<Props, "classes"> & { confirms: Confirms; set(some: Partial<Confirms>): void }) {
  return (
    <div role="group" aria-label="Classes that are asked about" className="flex flex-wrap gap-1">
      {classes.map(({ label, name, color }) => {
        const isOn = labels.includes(label);
        return (
          <Chip
            key={label}
            on={isOn}
            aria-pressed={isOn}
            disabled={isOn && labels.length === 1}
            onClick={() =>
              set({
                labels: isOn ? labels.filter((one) => one !== label) : [...labels, label],
              })
            }
          >
            <span aria-hidden className="h-2.5 w-2.5 rounded-sm" style={{ background: color }} />
            {name}
          </Chip>
        );
      })}
    </div>
  );
}
