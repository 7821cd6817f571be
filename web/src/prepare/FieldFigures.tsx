import { Section } from "../frame/Section";
import { number } from "../lib/format";
import { Button } from "../ui/Button";
import { InOutBars } from "./InOutBars";
import type { StepLook } from "./useStepLook";
import type { Field } from "./useFields";

/** A figure of in and of out, or of out alone. */
function inAndOut(before: number | null | undefined, after: number | null, digits: number): string {
  const out = number(after ?? NaN, digits);
  return typeof before === "number" ? `${number(before, digits)} → ${out}` : out;
}

/** Figures of in and out over the marked field, or over the scene. */
export function FieldFigures({ look }: { look: StepLook }) {
  const { input, output, marking, marked, what } = look;
  const isMarking = marking === "field";
  const place = marked ? "Inside the marked field" : "Over the scene";
  let said = marked ? "Mark another" : "Mark an even field";
  if (isMarking) {
    said = "Drag a box …";
  }
  return (
    <Section
      title={what ? `${place} · ${what}` : place}
      right={
        <Button
          tone={isMarking ? "act" : "quiet"}
          className="h-6 px-2"
          aria-pressed={isMarking}
          onClick={() => look.markField(!isMarking)}
        >
          {said}
        </Button>
      }
    >
      <InOutBars input={input} output={output} />
      {output && <Figures input={input} output={output} marked={marked} />}
    </Section>
  );
}

const VALUE = "font-mono text-[12px]";

function Figures({
  input,
  output,
  marked,
}: {
  input: Field | null;
  output: Field;
  marked: boolean;
}) {
  const unit = output.unit ? ` ${output.unit}` : "";
  const digits = output.unit === "dB" ? 2 : 4;
  return (
    <dl className="mt-2 grid grid-cols-[1fr_auto] gap-y-1">
      <dt>Mean</dt>
      <dd className={VALUE}>
        {inAndOut(input?.mean, output.mean, digits)}
        {unit}
      </dd>
      <dt>Spread</dt>
      <dd className={VALUE}>
        ±{inAndOut(input?.deviation, output.deviation, unit ? 1 : 4)}
        {unit}
      </dd>
      {marked && output.looks !== null && (
        <>
          <dt title="Mean² over variance of power, in the field you marked">Equivalent looks</dt>
          <dd className={VALUE}>{inAndOut(input?.looks, output.looks, 1)}</dd>
        </>
      )}
      <dt>Cells</dt>
      <dd className={VALUE}>
        {number(output.cells)}
        {output.sampled ? ", sample" : ""}
      </dd>
    </dl>
  );
}
