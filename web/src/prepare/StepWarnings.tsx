import { Section } from "../frame/Section";
import { Warning } from "../ui/Messages";
import type { PrepareView } from "./chainState";

/** Warnings of a step, each with the labels of the dates that have it. */
function warningsOf(view: PrepareView, step: string): Map<string, string[]> {
  const out = new Map<string, string[]>();
  for (const row of view.rows) {
    if (!view.heldOut.includes(row.sceneId)) {
      for (const text of row.cells.find((cell) => cell.step === step)?.warnings ?? []) {
        out.set(text, [...(out.get(text) ?? []), row.label]);
      }
    }
  }
  return out;
}

/** What a step warns of, date by date. */
export function StepWarnings({ view, step }: { view: PrepareView; step: string }) {
  const warnings = [...warningsOf(view, step)];
  if (warnings.length === 0) {
    return null;
  }
  return (
    <Section>
      <div className="space-y-2">
        {warnings.map(([text, dates]) => (
          <Warning key={text}>
            <b>{dates.join(", ")}.</b> {text}
          </Warning>
        ))}
      </div>
    </Section>
  );
}
