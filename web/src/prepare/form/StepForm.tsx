import { type Chain, type Family, stepOfChain } from "@hindglance/core/chain/family";

import {
  ChoiceSetting,
  PickSetting,
  SwitchSetting,
  SwitchesSetting,
} from "../../form/ChoiceSettings";
import { NumberSetting } from "../../form/NumberSetting";
import { Formulas } from "./Formulas";
import { GridSetting, GridSize } from "./GridSetting";
import { ElevationName, OrbitFiles } from "./Notes";
import { SceneSetting } from "./SceneSetting";
import type { About, AboutSetting } from "./about";
import type { Field } from "@hindglance/core/form/fields";

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

function FormField({ schema, field, about, ...plain }: AboutSetting<Field> & { schema: Schema }) {
  const rest = { ...plain, about };
  switch (field.kind) {
    case "number":
      return (
        <NumberSetting
          {...plain}
          field={field}
          schema={schema}
          measured={field.measured === "looks" ? about.measuredLooks : null}
        />
      );
    case "choice":
      return <ChoiceSetting {...plain} field={field} />;
    case "pick":
      return <PickSetting {...plain} field={field} />;
    case "scene":
      return <SceneSetting {...rest} field={field} />;
    case "switch":
      return <SwitchSetting {...plain} field={field} />;
    case "switches":
      return <SwitchesSetting {...plain} field={field} />;
    case "grid":
      return <GridSetting {...rest} field={field} />;
    case "gridSize":
      return <GridSize {...rest} field={field} />;
    case "formulas":
      return <Formulas {...rest} field={field} />;
    case "note":
      return <p className="text-label text-soft">{field.text}</p>;
    case "orbits":
      return <OrbitFiles {...rest} field={field} />;
    case "elevationName":
      return <ElevationName {...rest} field={field} />;
    case "datesFormula":
      throw new TypeError("A step has one date at a time");
  }
}
