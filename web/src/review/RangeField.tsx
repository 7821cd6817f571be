import { Button } from "../ui/Button";
import { NumberField } from "../ui/NumberField";

interface Props {
  label: string;
  decimals: number;
  /** Null: open at this end. */
  from: number | null;
  to: number | null;
  set(from: number | null, to: number | null): void;
}

/** A range that may be open at either end. */
export function RangeField({ label, decimals, from, to, set }: Props) {
  return (
    <div className="mb-1.5 flex items-center justify-between gap-2">
      <span>{label}</span>
      <span className="flex items-center gap-1.5">
        <End {...{ label, decimals }} what="from" value={from} set={(value) => set(value, to)} />
        <End {...{ label, decimals }} what="to" value={to} set={(value) => set(from, value)} />
      </span>
    </div>
  );
}

interface EndProps {
  label: string;
  decimals: number;
  what: "from" | "to";
  value: number | null;
  set(value: number | null): void;
}

function End({ label, decimals, what, value, set }: EndProps) {
  if (value === null) {
    return (
      <Button className="h-7" onClick={() => set(0)}>
        {what}
      </Button>
    );
  }
  return (
    <span className="flex items-center gap-1">
      <span className="text-soft">{what}</span>
      <NumberField
        label={`${label} ${what}`}
        decimals={decimals}
        step={10 ** -decimals}
        value={value}
        onCommit={set}
      />
      <button
        type="button"
        aria-label={`${label} ${what}: no end`}
        className="text-soft"
        onClick={() => set(null)}
      >
        ×
      </button>
    </span>
  );
}
