import { type ReactNode, useState } from "react";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { measureOf } from "@hindglance/core/change/measures/all";
import { histogramTotal } from "@hindglance/core/raster/histogram";
import { sayError } from "../../api/client";
import { Section } from "../../frame/Section";
import { Choice } from "../../ui/Choice";
import { Problem, Warning } from "../../ui/Messages";
import { HistogramControl } from "./HistogramControl";
import { useCompare } from "../state";
import { moveThreshold } from "./thresholds";
import { type LayerUnit, unitOf } from "../units";
import type { ComparisonOnScreen } from "../useComparison";

type CountedLayer = "measure" | "before" | "after";

/** The histogram of a layer with the thresholds that lie on it. */
function Counted({
  shown,
  setup,
  layer,
  unit,
}: {
  shown: ComparisonOnScreen;
  setup: ChangeSetup;
  layer: CountedLayer;
  unit: LayerUnit;
}) {
  const { change, drag, drop } = useCompare.getState();
  const { data, error } = shown.histograms;
  const seenM2 = shown.numbers.areas?.seenM2 ?? 0;
  if (data && histogramTotal(data.measure) > 0) {
    return (
      <HistogramControl
        key={layer}
        cells={data.cells}
        sampled={data.sampled}
        tiles={data.tiles[layer]}
        halves={data.halves[layer]}
        first={shown.firstMap.data}
        seenM2={seenM2 > 0 ? seenM2 : null}
        histogram={data[layer]}
        layer={layer}
        isChance={layer === "measure" && measureOf(setup.measure).isChance}
        unit={unitOf(layer, unit)}
        rules={setup.rules}
        onDrag={(at, value) => drag((s) => moveThreshold(s, at, value))}
        onDrop={drop}
        onSet={(at, value) => change((s) => moveThreshold(s, at, value))}
      />
    );
  }
  if (error) {
    return <Problem>{sayError(error)}</Problem>;
  }
  return data ? (
    <Warning>No cell is seen on both dates inside the study area.</Warning>
  ) : (
    <p className="py-10 text-center text-soft">Counting cells …</p>
  );
}

/** Histogram of the change or of either date, as the control of its thresholds. */
export function HistogramSection({
  right,
  ...counted
}: {
  right: ReactNode;
  shown: ComparisonOnScreen;
  setup: ChangeSetup;
  unit: LayerUnit;
}) {
  const [layer, setLayer] = useState<CountedLayer>("measure");
  return (
    <Section
      className="py-2.5"
      title={
        <Choice
          label="Layer of the histogram"
          className="font-sans text-[12px]"
          value={layer}
          onChange={(next: CountedLayer) => setLayer(next)}
          options={[
            { value: "measure", name: "Change" },
            { value: "before", name: "Before" },
            { value: "after", name: "After" },
          ]}
        />
      }
      right={right}
    >
      <Counted {...counted} layer={layer} />
    </Section>
  );
}
