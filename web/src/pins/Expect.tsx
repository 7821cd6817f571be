import { useState } from "react";
import type { Scene, Study } from "../api/types";
import { dayYear } from "../lib/format";
import { Button } from "../ui/Button";
import { Labelled } from "../ui/Labelled";
import { Pick } from "../ui/Pick";
import { Pop } from "../ui/Pop";
import { NumberField } from "../ui/NumberField";
import { bandsOf, decimalsOf, usualTolerance, usualValue } from "./expectation";
import { usePinEdits } from "./pins";
import type { Expectation, Pin, PlaceValues } from "./values";

interface Props {
  study: Study;
  pin: Pin;
  scenes: Scene[];
  values: PlaceValues | undefined;
  /** Which of the places that the values are of. */
  at: number;
}

/** What a pin must show. */
export function Expect({ study, pin, scenes, values, at }: Props) {
  const [open, setOpen] = useState(false);
  const [draft, setDraft] = useState<Expectation | null>(null);
  const { update } = usePinEdits(study.id);
  const bands = bandsOf(values);
  const usualFor = (band: string, sceneId: string | null): Expectation => ({
    sceneId,
    band,
    value: usualValue(values, at, sceneId, band),
    tolerance: usualTolerance(values, band),
  });
  const expected = draft ?? pin.expected ?? usualFor(bands[0] ?? "", null);
  const keep = (next: Expectation | null) => {
    update.mutate({ id: pin.id, expected: next });
    setOpen(false);
  };
  return (
    <Pop
      label={`What ${pin.name} is expected to show`}
      open={open}
      onOpenChange={(isOpen) => {
        setOpen(isOpen);
        setDraft(null);
      }}
      trigger={
        <Button tone="quiet" className="h-6 px-1.5 text-label">
          {pin.expected ? "Change" : "Expect …"}
        </Button>
      }
    >
      <Labelled label="Band">
        {(id) => (
          <Pick
            id={id}
            label="Band"
            value={expected.band}
            onChange={(band) => setDraft(usualFor(band, expected.sceneId))}
            options={bands.map((band) => ({ value: band, name: band }))}
          />
        )}
      </Labelled>
      <DatePick
        scenes={scenes}
        sceneId={expected.sceneId}
        onPick={(sceneId) => setDraft(usualFor(expected.band, sceneId))}
      />
      <Amounts
        expected={expected}
        decimals={decimalsOf(values, expected.band)}
        change={(part) => setDraft({ ...expected, ...part })}
      />
      <div className="flex justify-end gap-2">
        {pin.expected && <Button onClick={() => keep(null)}>Nothing</Button>}
        <Button tone="act" disabled={!expected.band} onClick={() => keep(expected)}>
          Expect this
        </Button>
      </div>
    </Pop>
  );
}

const EVERY = "every";

interface DateProps {
  scenes: Scene[];
  /** Null is every date. */
  sceneId: string | null;
  onPick(sceneId: string | null): void;
}

function DatePick({ scenes, sceneId, onPick }: DateProps) {
  const dated = scenes.filter(({ acquiredAt }) => acquiredAt);
  return (
    <Labelled label="On">
      {(id) => (
        <Pick
          id={id}
          label="On"
          value={sceneId ?? EVERY}
          onChange={(value) => onPick(value === EVERY ? null : value)}
          options={[
            { value: EVERY, name: "every date" },
            ...dated.map((scene) => ({
              value: scene.id,
              name: `${scene.name}, ${dayYear(scene.acquiredAt!)}`,
            })),
          ]}
        />
      )}
    </Labelled>
  );
}

interface AmountProps {
  expected: Expectation;
  decimals: number;
  change(part: Partial<Expectation>): void;
}

function Amounts({ expected, decimals, change }: AmountProps) {
  return (
    <div className="mb-3 flex items-center gap-2">
      <NumberField
        label="Expected value"
        decimals={Math.max(2, decimals)}
        value={expected.value}
        onCommit={(value) => change({ value })}
      />
      <span>±</span>
      <NumberField
        label="Tolerance"
        decimals={Math.max(2, decimals)}
        min={0.001}
        value={expected.tolerance}
        onCommit={(tolerance) => change({ tolerance })}
      />
    </div>
  );
}
