import { type Chain, type Family, stepOfChain } from "@hindglance/core/chain/family";
import type { Field } from "@hindglance/core/chain/fields";
import { ChoiceSetting, PickSetting, SceneSetting } from "./ChoiceSettings";
import { Formulas } from "./Formulas";
import { GridSetting, GridSize } from "./GridSetting";
import { ElevationName, Note, OrbitFiles } from "./Notes";
import { NumberSetting } from "./NumberSetting";
import { SwitchSetting, SwitchesSetting } from "./SwitchSettings";
import type { About, Setting } from "./about";

/** The form of a step, drawn from the fields that the step names. */
export function StepForm({
  family,
  step,
  chain,
  about,
  change,
}: {
  family: Family;
  step: string;
  chain: Chain;
  about: About;
  change(some: Record<string, unknown>): void;
}) {
  const part = stepOfChain(family, step);
  const own = chain[step]!;
  return part
    .fields(own, chain)
    .map((field, k) => (
      <FormField
        key={`${field.kind}.${"at" in field ? field.at : k}`}
        schema={part.settings}
        field={field}
        own={{ ...own }}
        about={about}
        change={change}
      />
    ));
}

type Schema = ReturnType<typeof stepOfChain>["settings"];

function FormField({ schema, field, ...rest }: Setting<Field> & { schema: Schema }) {
  switch (field.kind) {
    case "number":
      return <NumberSetting {...rest} field={field} schema={schema} />;
    case "choice":
      return <ChoiceSetting {...rest} field={field} />;
    case "pick":
      return <PickSetting {...rest} field={field} />;
    case "scene":
      return <SceneSetting {...rest} field={field} />;
    case "switch":
      return <SwitchSetting {...rest} field={field} />;
    case "switches":
      return <SwitchesSetting {...rest} field={field} />;
    case "grid":
      return <GridSetting {...rest} field={field} />;
    case "gridSize":
      return <GridSize {...rest} field={field} />;
    case "formulas":
      return <Formulas {...rest} field={field} />;
    case "note":
      return <Note {...rest} field={field} />;
    case "orbits":
      return <OrbitFiles {...rest} field={field} />;
    case "elevationName":
      return <ElevationName {...rest} field={field} />;
  }
}
