import { X } from "lucide-react";
import type { AnyLimit } from "@hindglance/core/change/limits/all";
import type { LimitGround } from "@hindglance/core/change/limits/limit";
import type { Field } from "@hindglance/core/form/fields";
import {
  AmountSetting,
  HectaresSetting,
  OpenEndSetting,
  SomeOfSetting,
} from "../form/AmountSettings";
import { ChoiceSetting, PickSetting } from "../form/ChoiceSettings";
import type { Setting } from "../form/setting";
import { Button } from "../ui/Button";

/** What a limit does and how it is set, drawn from the fields that it names. */
export function LimitForm({
  part,
  own,
  ground,
  onChange,
}: {
  part: AnyLimit;
  own: object;
  ground: LimitGround;
  /** Takes new settings, or null: the limit is taken away. */
  onChange(own: object | null): void;
}) {
  return (
    <>
      <p className="mb-2">{part.help}</p>
      {part.fields(own, ground).map((field, k) => (
        <LimitField
          key={`${field.kind}.${"at" in field ? field.at : k}`}
          field={field}
          own={{ ...own }}
          cellM2={ground.cellM2}
          change={(some) => onChange({ ...own, ...some })}
        />
      ))}
      {!part.always && (
        <div className="mt-3 flex justify-end">
          <Button onClick={() => onChange(null)}>
            <X size={13} aria-hidden />
            Take away
          </Button>
        </div>
      )}
    </>
  );
}

function LimitField({ field, cellM2, ...rest }: Setting<Field> & { cellM2: number }) {
  switch (field.kind) {
    case "amount":
      return <AmountSetting {...rest} field={field} />;
    case "hectares":
      return <HectaresSetting {...rest} field={field} cellM2={cellM2} />;
    case "openEnd":
      return <OpenEndSetting {...rest} field={field} />;
    case "someOf":
      return <SomeOfSetting {...rest} field={field} />;
    case "choice":
      return <ChoiceSetting {...rest} field={field} />;
    case "pick":
      return <PickSetting {...rest} field={field} />;
    default:
      throw new TypeError(`A limit has no field of the kind ${field.kind}`);
  }
}
