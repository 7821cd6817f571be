import type { Scene } from "../../api/types";
import { RAMPS } from "../../map/ramps";
import { Chip } from "../../ui/Chip";
import { Choice } from "../../ui/Choice";
import { Pick } from "../../ui/Pick";
import { NumberField } from "../../ui/NumberField";
import { type Display, STRETCHES, rampOf } from "../display";
import { BreakPoints } from "./BreakPoints";
import { firstBreaks } from "./breaks";

interface Props {
  scene: Scene;
  display: Display;
  onDisplay(display: Display): void;
}

/** Stretch, gamma, and the colours of a single band: a ramp, or flat colours between break points. */
export function Colours({ scene, display, onDisplay }: Props) {
  const ramp = rampOf(scene, display);
  const { breaks } = display;
  const set = (part: Partial<Display>) => onDisplay({ ...display, ...part });
  return (
    <div className="mb-2">
      <StretchRow display={display} set={set} />
      {display.mode === "single" && (
        <>
          <div className="grid grid-cols-[1fr_auto] items-center gap-2">
            <Pick
              label="Ramp"
              value={ramp.id}
              onChange={(id) => set({ ramp: id })}
              options={RAMPS.map(({ id, name }) => ({ value: id, name }))}
            />
            <Chip
              on={!!breaks}
              aria-pressed={!!breaks}
              onClick={() => set({ breaks: breaks ? null : firstBreaks(scene, display) })}
            >
              Break points
            </Chip>
          </div>
          {breaks && (
            <BreakPoints
              breaks={breaks}
              ramp={ramp}
              onChange={(changed) => set({ breaks: changed })}
            />
          )}
        </>
      )}
    </div>
  );
}

function StretchRow({ display, set }: { display: Display; set(part: Partial<Display>): void }) {
  return (
    <div className="mb-2 grid grid-cols-[1fr_auto_auto] items-center gap-2">
      <Pick
        label="Stretch"
        value={display.stretch}
        onChange={(stretch) => set({ stretch })}
        options={STRETCHES}
      />
      <Choice
        label="Stretch by"
        value={display.by}
        onChange={(by) => set({ by })}
        options={[
          { value: "scene", name: "Scene", hint: "Ends from the whole scene" },
          { value: "view", name: "View", hint: "Ends from what is on screen" },
        ]}
      />
      <span className="flex items-center gap-1 text-soft" title="Over 1 brightens the dark end">
        γ{" "}
        <NumberField
          label="Gamma"
          value={display.gamma}
          min={0.2}
          max={5}
          step={0.1}
          onCommit={(gamma) => set({ gamma })}
        />
      </span>
    </div>
  );
}
