import type { SceneKind } from "../../compare/pair";
import { Section } from "../../frame/Section";
import { Chip } from "../../ui/Chip";
import { Choice } from "../../ui/Choice";
import { inputStyle } from "../../ui/Labelled";
import { Warning } from "../../ui/Messages";
import { Pick } from "../../ui/Pick";
import { NumberField } from "../../ui/NumberField";
import type { Series } from "./series";
import type { Count } from "./useCount";

const KIND: Record<SceneKind, string> = { radar: "Radar", optical: "Optical", other: "Other" };

interface Props {
  kinds: SceneKind[];
  count: Count;
  /** Dates that could not be counted, with the reason. */
  left: Series["left"];
}

/** What is counted: kind, band, threshold, its name, and on which ground. */
export function CountDesk({ kinds, count, left }: Props) {
  return (
    <Section
      title="What is counted"
      right={
        kinds.length > 1 ? (
          <Choice
            label="Kind of scene"
            className="font-sans text-[12px]"
            value={count.kind}
            onChange={count.setKind}
            options={kinds.map((kind) => ({ value: kind, name: KIND[kind] }))}
          />
        ) : undefined
      }
    >
      <Threshold count={count} />
      <Called key={count.usualName} name={count.count.name} change={count.change} />
      <div className="flex flex-wrap gap-1.5">
        {count.switches.map(({ name, on, turn }) => (
          <Chip key={name} on={on} aria-pressed={on} onClick={turn}>
            {name}
          </Chip>
        ))}
      </div>
      {left.length > 0 && (
        <div className="mt-2">
          <Warning>{leftOut(left)}</Warning>
        </div>
      )}
    </Section>
  );
}

function Threshold({ count }: { count: Count }) {
  const { band, bands, kind } = count;
  const isRadar = band.unit === "dB";
  return (
    <div className="mb-2 flex items-center gap-2">
      <Pick
        label="Band"
        className="w-[96px]"
        value={band.key}
        onChange={count.setBand}
        options={bands.map(({ key }) => ({ value: key, name: key }))}
      />
      <Choice
        label="Side"
        value={count.count.op}
        onChange={(op) => count.change({ op })}
        options={[
          { value: "<", name: "below" },
          { value: ">", name: "above" },
        ]}
      />
      <NumberField
        key={`${band.key}${kind}`}
        label="Value"
        decimals={isRadar ? 1 : 2}
        step={isRadar ? 0.1 : 0.01}
        value={count.count.value}
        min={-1e5}
        max={1e5}
        onCommit={(value) => count.change({ value })}
      />
      <span className="text-soft">{band.unit}</span>
    </div>
  );
}

function Called({ name, change }: { name: string; change: Count["change"] }) {
  const keep = (typed: string) => {
    if (typed.trim()) {
      change({ name: typed.trim() });
    }
  };
  return (
    <div className="mb-2 flex items-center gap-2">
      <span className="whitespace-nowrap text-soft">is called</span>
      <input
        aria-label="Called"
        className={`${inputStyle} h-7`}
        maxLength={40}
        defaultValue={name}
        onBlur={(event) => keep(event.target.value)}
        onKeyDown={(event) => {
          if (event.key === "Enter") {
            event.currentTarget.blur();
          }
        }}
      />
    </div>
  );
}

/** How many are named before the rest is only counted. */
const NAMED = 3;

function leftOut(left: Series["left"]): string {
  const named = left.slice(0, NAMED).map(({ name, reason }) => `${name} (${reason})`);
  const more = left.length > NAMED ? " …" : "";
  const dates = left.length === 1 ? "date is" : "dates are";
  return `${left.length} ${dates} left out: ${named.join("; ")}${more}.`;
}
