import { Undo2 } from "lucide-react";

import type { BandInfo } from "@hindglance/core/graph/image";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { Button } from "../ui/Button";
import { PresetMenu } from "./PresetMenu";
import { useCompare } from "./state";
import type { Actions } from "./useActions";
import { isValueBand } from "./useLook";
import { PRESETS, type Preset } from "@hindglance/core/change/presets";
import { measureOf } from "@hindglance/core/change/measures/all";

/** Ready sets of classes that suit a band and a measure. */
function presetsFor({ measure }: ChangeSetup, band: BandInfo | undefined): Preset[] {
  const isValue = isValueBand(band);
  const name = band?.name ?? "";
  const suits: Record<Preset["id"], boolean> = {
    water: !isValue,
    severity: isValue,
    openWater: isValue && /ndwi/i.test(name),
    greenness: isValue && /vi$/i.test(name),
    gainLoss: isValue,
  };
  const { presets } = measureOf(measure);
  return PRESETS.filter(({ id }) => suits[id] && presets.includes(id));
}

/** Presets of classes, and undo. */
export function ClassTools({
  setup,
  band,
  canReset,
  actions,
}: {
  setup: ChangeSetup;
  band: BandInfo | undefined;
  canReset: boolean;
  actions: Actions;
}) {
  const past = useCompare((state) => state.past.length);
  return (
    <>
      <PresetMenu
        onReset={canReset ? actions.reset : null}
        presets={presetsFor(setup, band)}
        onPreset={actions.takePreset}
        setup={setup}
        comparing={isValueBand(band) ? "value" : "power"}
        unit={band?.unit ?? ""}
        onSaved={actions.takeSaved}
      />
      <Button
        tone="quiet"
        aria-label="Undo"
        title="Undo (Ctrl Z)"
        className="h-6 w-7 px-0"
        disabled={past === 0}
        onClick={useCompare.getState().undo}
      >
        <Undo2 size={14} className="shrink-0" aria-hidden />
      </Button>
    </>
  );
}
