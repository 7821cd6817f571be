import { type Field, ON_OFF } from "@hindglance/core/chain/fields";
import { Chip } from "../../ui/controls";
import { ChoiceSetting } from "./ChoiceSettings";
import type { Setting } from "./about";

type SwitchOf = Extract<Field, { kind: "switch" }>;
type SwitchesOf = Extract<Field, { kind: "switches" }>;

/** On or off. */
export const SwitchSetting = ({ field, ...rest }: Setting<SwitchOf>) => (
  <ChoiceSetting {...rest} field={{ ...field, kind: "choice", options: ON_OFF }} />
);

/** Several that can each be on. */
export const SwitchesSetting = ({ field, own, change }: Setting<SwitchesOf>) => (
  <div className="mb-2 flex flex-wrap gap-1.5" role="group" aria-label={field.label}>
    {field.switches.map(({ at, label }) => (
      <Chip
        key={at}
        on={own[at] === true}
        aria-pressed={own[at] === true}
        onClick={() => change({ [at]: own[at] !== true })}
      >
        {label}
      </Chip>
    ))}
  </div>
);
