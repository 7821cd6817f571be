import { Chip } from "../ui/Chip";
import { Choice } from "../ui/Choice";
import { Row } from "../ui/Labelled";
import { Pick } from "../ui/Pick";
import type { Setting } from "./setting";
import { type Field, ON_OFF } from "@hindglance/core/form/fields";

type ChoiceOf = Extract<Field, { kind: "choice" }>;
type SwitchOf = Extract<Field, { kind: "switch" }>;
type SwitchesOf = Extract<Field, { kind: "switches" }>;
type PickOf = Extract<Field, { kind: "pick" }>;

/** What an option is called inside a control, whose values are texts. */
const keyOf = (value: unknown): string => JSON.stringify(value ?? null);

/** One of a few, all of them in view. */
export function ChoiceSetting({ field, own, change }: Setting<ChoiceOf>) {
  const choice = (
    <Choice
      label={field.name ?? field.label}
      className={field.whole ? "flex" : undefined}
      value={keyOf(own[field.at] ?? field.usual)}
      onChange={(key) =>
        change({ [field.at]: field.options.find((option) => keyOf(option.value) === key)!.value })
      }
      options={field.options.map(({ value, name, hint }) => ({ value: keyOf(value), name, hint }))}
    />
  );
  return field.whole ? (
    <div className="mb-2">{choice}</div>
  ) : (
    <Row label={field.label}>{choice}</Row>
  );
}

/** One of many. */
export function PickSetting({ field, own, change }: Setting<PickOf>) {
  return (
    <Row label={field.label}>
      <Pick
        label={field.name ?? field.label}
        className="w-[160px]"
        value={keyOf(own[field.at])}
        onChange={(key) =>
          change({ [field.at]: field.options.find((option) => keyOf(option.value) === key)!.value })
        }
        options={field.options.map(({ value, name }) => ({ value: keyOf(value), name }))}
      />
    </Row>
  );
}

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
