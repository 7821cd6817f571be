import { number } from "../lib/format";
import { NumberField } from "../ui/NumberField";
import { Button } from "../ui/Button";
import { Row } from "../ui/Labelled";
import type { Setting } from "./setting";
import { type Field, boundsOf } from "@hindglance/core/form/fields";

type NumberOf = Extract<Field, { kind: "number" }>;
type Schema = Parameters<typeof boundsOf>[0];

/** Measured looks and typed ones that differ by less are the same. */
const SAME_LOOKS = 0.05;

/** A number; its bounds are those that the server checks. */
export function NumberSetting({
  field,
  schema,
  own,
  measured,
  change,
}: Setting<NumberOf> & {
  schema: Schema;
  /** A measured number that can be taken over; null: there is none. */
  measured: number | null;
}) {
  const { min, max, whole } = boundsOf(schema, field.at);
  const scale = field.percent ? 100 : 1;
  const value = Number(own[field.at]);
  const input = (
    <NumberField
      label={field.name ?? field.label}
      decimals={whole || field.percent ? 0 : 1}
      step={field.step}
      min={Math.round(min * scale * 10) / 10}
      max={Math.round(max * scale * 10) / 10}
      value={field.percent ? Math.round(value * scale) : value}
      onCommit={(next) => change({ [field.at]: next / scale })}
    />
  );
  if (measured === null || Math.abs(measured - value) <= SAME_LOOKS) {
    return <Row label={field.label}>{input}</Row>;
  }
  return (
    <Row label={field.label}>
      <span className="flex items-center gap-2">
        <Button
          tone="quiet"
          className="h-6 px-1.5"
          onClick={() => change({ [field.at]: Math.round(measured * 10) / 10 })}
        >
          Take {number(measured, 1)}
        </Button>
        {input}
      </span>
    </Row>
  );
}
