import { comparingOf } from "@hindglance/core/change/comparing";
import { measureOf } from "@hindglance/core/change/measures/all";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { Field } from "@hindglance/core/form/fields";
import { nameInFormula, namesOfDates } from "@hindglance/core/formula/datedNames";
import type { BandInfo } from "@hindglance/core/graph/image";
import { AmountSetting } from "../form/AmountSettings";
import { ChoiceSetting } from "../form/ChoiceSettings";
import { FormulaField } from "./FormulaField";
import type { ChangeOfSetup } from "./MeasureDesk";

interface Props {
  setup: ChangeSetup;
  bands: readonly BandInfo[];
  change: ChangeOfSetup;
}

/** The form of a measure's own settings, drawn from the fields that it names. */
export const MeasureFields = (props: Props) =>
  measureOf(props.setup.measure).fields.map((field, k) => (
    <MeasureField key={`${props.setup.measure}.${k}`} field={field} {...props} />
  ));

function MeasureField({ field, setup, bands, change }: Props & { field: Field }) {
  const set = (some: object) => change((now) => ({ ...now, ...some }));
  // A setting that is not there yet, as in an older recipe, is what the measure begins with.
  const own = { ...setup, ...measureOf(setup.measure).begin?.(setup, bands) };
  switch (field.kind) {
    case "choice":
      return (
        <div className="mt-2">
          <ChoiceSetting field={field} own={own} change={set} />
        </div>
      );
    case "amount":
      return (
        <div className="mt-2">
          <AmountSetting field={field} own={own} change={set} />
        </div>
      );
    case "datesFormula": {
      const band = bands[setup.band];
      const alike = bands.filter((one) => band && comparingOf(one) === comparingOf(band));
      return (
        <FormulaField
          key={setup.band}
          text={setup.formula ?? ""}
          names={namesOfDates(alike.map(nameInFormula))}
          onCommit={(formula) => set({ formula })}
        />
      );
    }
    default:
      throw new TypeError(`A measure has no field of the kind ${field.kind}`);
  }
}
