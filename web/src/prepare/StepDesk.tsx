import { type Family, STEPS_OF, settingsOf, stepOfChain } from "@hindglance/core/chain/family";
import type { Study } from "../api/types";
import { Section } from "../frame/Section";
import { Choice } from "../ui/Choice";
import { Problem } from "../ui/Messages";
import { FieldFigures } from "./FieldFigures";
import { StepReport } from "./StepReport";
import { StepWarnings } from "./StepWarnings";
import {
  type BoardRow,
  type Desk,
  type PrepareView,
  changed,
  stepCount,
  stepNumber,
  withException,
} from "./chainState";
import { StepForm } from "./form/StepForm";
import type { StepLook } from "./useStepLook";
import type { Prepare } from "./usePrepare";

/** The settings of the picked step, what it did, and what it warns of. */
export function StepDesk({
  study,
  view,
  prepare,
  desk,
  row,
  look,
}: {
  study: Study;
  view: PrepareView;
  prepare: Prepare;
  desk: Desk;
  row: BoardRow | null;
  look: StepLook;
}) {
  const { family } = view;
  const { step } = desk;
  const onlyScene = desk.only && row ? row.sceneId : null;
  const chain = settingsOf(STEPS_OF[family], view.chain, view.exceptions, onlyScene ?? "");
  const runs = chain[step]!.on;
  const measuredLooks = look.marked ? (look.input?.looks ?? null) : null;
  return (
    <>
      <StepHead family={family} desk={desk} row={row} />
      <Section>
        {runs ? (
          <StepForm
            family={family}
            step={step}
            chain={chain}
            about={{ study, view, row, onlyScene, measuredLooks }}
            change={(some) => prepare.set(changed(view, step, some, onlyScene))}
          />
        ) : (
          <p className="py-1 text-soft">This step is skipped{onlyScene ? " for this date" : ""}.</p>
        )}
        {row && <CellState view={view} prepare={prepare} row={row} step={step} />}
      </Section>
      {row && runs && <FieldFigures look={look} />}
      {runs && <StepReport studyId={study.id} family={family} step={step} row={row} look={look} />}
      <StepWarnings view={view} step={step} />
    </>
  );
}

/** Which step it is, for which dates its settings are changed, and what it does. */
function StepHead({ family, desk, row }: { family: Family; desk: Desk; row: BoardRow | null }) {
  const { name, help } = stepOfChain(family, desk.step);
  return (
    <Section
      title={`Step ${stepNumber(family, desk.step)} of ${stepCount(family)}`}
      right={
        row && (
          <Choice
            label="For which dates"
            value={desk.only ? "one" : "all"}
            onChange={(value) => desk.setOnly(value === "one")}
            options={[
              { value: "all", name: "Every date" },
              { value: "one", name: `Only ${row.label}` },
            ]}
          />
        )
      }
    >
      <h1 className="text-[17px] font-bold">{name}</h1>
      <p className="mt-1 text-soft">{help}</p>
    </Section>
  );
}

/** Why the step cannot run for the date, and that the date has settings of its own. */
function CellState({
  view,
  prepare,
  row,
  step,
}: {
  view: PrepareView;
  prepare: Prepare;
  row: BoardRow;
  step: string;
}) {
  const cell = row.cells.find((one) => one.step === step);
  const takeCommon = () =>
    prepare.set({
      ...view,
      exceptions: withException(view.exceptions, row.sceneId, step, {}),
    });
  return (
    <>
      {cell?.error && (
        <div className="mt-2">
          <Problem>
            {cell.error.message}. {cell.error.hint}
          </Problem>
        </div>
      )}
      {cell?.exception && (
        <p className="mt-2 text-label text-soft">
          This date has settings of its own here.{" "}
          <button type="button" className="text-spruce underline" onClick={takeCommon}>
            Take those of every date
          </button>
        </p>
      )}
    </>
  );
}
