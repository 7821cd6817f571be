import type { Field } from "@hindglance/core/form/fields";
import { hectares } from "@hindglance/core/text/number";
import { number } from "../lib/format";
import { NumberField } from "../ui/NumberField";
import { Button } from "../ui/Button";
import { Chip } from "../ui/Chip";
import type { Setting } from "./setting";

type Of<Kind> = Extract<Field, { kind: Kind }>;
const LINE = "mb-2 flex items-center gap-2";

/** A number with words before it and its unit behind. */
export const AmountSetting = ({ field, own, change }: Setting<Of<"amount">>) => (
  <span className={LINE}>
    {field.label}{" "}
    <NumberField
      label={field.name ?? field.label}
      value={Number(own[field.at])}
      decimals={field.decimals}
      step={field.step}
      min={field.min}
      max={field.max}
      onCommit={(value) => change({ [field.at]: value })}
    />{" "}
    {field.unit}
  </span>
);

/** Hectares as they are read: hundredths, and of less than one two digits. */
const inWords = (value: number): number =>
  value >= 1 ? Math.round(value * 100) / 100 : Number(value.toPrecision(2));

/** A number of cells as hectares. @param cellM2 area of a cell */
export function HectaresSetting({
  field,
  own,
  change,
  cellM2,
}: Setting<Of<"hectares">> & { cellM2: number }) {
  const cells = Number(own[field.at]);
  const toCells = (value: number) => Math.max(field.leastCells, Math.round((value * 1e4) / cellM2));
  return (
    <span className={LINE}>
      {field.label}{" "}
      <NumberField
        label={field.name ?? field.label}
        value={inWords(hectares(cells, cellM2))}
        decimals={2}
        step={hectares(1, cellM2)}
        min={hectares(field.leastCells, cellM2)}
        max={1e5}
        onCommit={(value) => change({ [field.at]: toCells(value) })}
      />{" "}
      ha = {number(cells)} cells
    </span>
  );
}

/** One end of a range, which can be left open. */
export function OpenEndSetting({ field, own, change }: Setting<Of<"openEnd">>) {
  const { at, label, unit, min, max } = field;
  const value = own[at];
  const isOpen = typeof value !== "number";
  const closed = Math.max(min, Math.min(max, field.usual));
  return (
    <div className="mb-1.5 flex items-center justify-between gap-2">
      <span className="w-12">{label}</span>
      {isOpen ? (
        <span className="text-soft">no end</span>
      ) : (
        <span>
          <NumberField
            label={`${label}, metres`}
            decimals={0}
            step={10}
            value={value}
            min={min}
            max={max}
            onCommit={(next) => change({ [at]: next })}
          />{" "}
          {unit}
        </span>
      )}
      <Button className="h-7" onClick={() => change({ [at]: isOpen ? closed : null })}>
        {isOpen ? "Set" : "Open"}
      </Button>
    </div>
  );
}

/** Some of several; the last one cannot be taken away. */
export function SomeOfSetting({ field, own, change }: Setting<Of<"someOf">>) {
  const chosen = own[field.at] as string[];
  const toggle = (value: string) => {
    const next = chosen.includes(value)
      ? chosen.filter((other) => other !== value)
      : [...chosen, value];
    if (next.length > 0) {
      change({ [field.at]: next });
    }
  };
  return (
    <div className="mb-2 flex flex-wrap gap-1.5" role="group" aria-label={field.label}>
      {field.options.map(({ value, name }) => (
        <Chip
          key={value}
          on={chosen.includes(value)}
          aria-pressed={chosen.includes(value)}
          onClick={() => toggle(value)}
        >
          {name}
        </Chip>
      ))}
    </div>
  );
}
