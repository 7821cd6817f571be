import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { Study } from "../api/types";
import { Section } from "../frame/Section";
import { Choice } from "../ui/Choice";
import { Problem, Warning } from "../ui/Messages";
import { MeasureDesk } from "./MeasureDesk";
import { NotRun } from "./NotRun";
import type { SceneKind } from "./pair";
import { useCompare } from "./state";
import type { Actions } from "./useActions";
import type { ComparisonOnScreen } from "./useComparison";

const KIND: Record<SceneKind, string> = { radar: "Radar", optical: "Optical", other: "Other" };

/** How the dates are measured against each other, with what is to be said about the pair. */
export function MeasureSection({
  study,
  shown,
  setup,
  actions,
}: {
  study: Study;
  shown: ComparisonOnScreen;
  setup: ChangeSetup;
  actions: Actions;
}) {
  const { kind, kinds, nodes } = shown;
  return (
    <Section
      title="Measure"
      right={
        kinds.length > 1 && kind ? (
          <Choice
            label="Kind of scene"
            className="font-sans text-[12px]"
            value={kind}
            onChange={actions.setKind}
            options={kinds.map((one) => ({ value: one, name: KIND[one] }))}
          />
        ) : undefined
      }
      className="py-2.5"
    >
      <MeasureDesk
        setup={setup}
        bands={shown.bands}
        blurs={nodes?.blurs ?? []}
        pickMeasure={actions.pickMeasure}
        pickBand={actions.pickBand}
        change={useCompare.getState().change}
      />
      {actions.counting && (
        <p className="mt-2 text-soft" role="status">
          Counting cells for {actions.counting} …
        </p>
      )}
      <PairMessages study={study} shown={shown} />
    </Section>
  );
}

/** What is to be said about a pair: warnings, what was not run, what is wrong. */
export function PairMessages({ study, shown }: { study: Study; shown: ComparisonOnScreen }) {
  const { nodes, notRun, problem } = shown;
  const families = new Set(notRun.flatMap(({ sceneId }) => shown.sideOf(sceneId)?.family ?? []));
  return (
    <>
      {nodes?.series && (
        <p className="mt-2 text-label text-soft">
          Normal by {nodes.series.normal.join("; ")}. Watched: {nodes.series.watched.join("; ")}.
        </p>
      )}
      {(nodes?.warnings ?? []).map((warning) => (
        <div key={warning} className="mt-2">
          <Warning>{warning}</Warning>
        </div>
      ))}
      {notRun.length > 0 && (
        <div className="mt-2">
          <NotRun
            studyId={study.id}
            dates={notRun}
            families={[...families]}
            waits={shown.numbers.waitsForRun}
            onAnyway={shown.measureAnyway}
          />
        </div>
      )}
      {problem && (
        <div className="mt-2">
          <Problem>{problem}</Problem>
        </div>
      )}
    </>
  );
}
