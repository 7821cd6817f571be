import { prepareRoutes } from "@hindglance/contract/prepare";
import type { Family } from "@hindglance/core/chain/family";
import { useQuery } from "@tanstack/react-query";
import { call } from "../api/call";
import { Section } from "../frame/Section";
import { Warning } from "../ui/Messages";
import type { BoardRow } from "./chainState";
import type { StepLook } from "./useStepLook";

/** States in which a step has found nothing. */
const WITHOUT = ["error", "blocked", "skipped"];

/** What a step found in one scene: figures, and warnings that follow from them. */
export function StepReport({
  studyId,
  family,
  step,
  row,
  look,
}: {
  studyId: string;
  family: Family;
  step: string;
  row: BoardRow | null;
  look: StepLook;
}) {
  const state = row?.cells.find((cell) => cell.step === step)?.state;
  const sceneId = state && !WITHOUT.includes(state) ? row.sceneId : null;
  const report = useQuery({
    queryKey: ["report", studyId, family, sceneId, step, look.chainKey],
    queryFn: () =>
      call(prepareRoutes.report, {
        params: { id: studyId },
        query: { family },
        body: { sceneId: sceneId!, step },
      }),
    enabled: family === "optical" && sceneId !== null,
    staleTime: Infinity,
    retry: false,
  }).data;
  if (!report || !row) {
    return null;
  }
  return (
    <>
      {report.lines.length > 0 && (
        <Section title="What the step found">
          <dl className="space-y-1">
            {report.lines.map((line) => (
              <div key={line.name} className="flex items-baseline justify-between gap-3">
                <dt>{line.name}</dt>
                <dd className="whitespace-nowrap text-right font-mono text-[12px]">{line.value}</dd>
              </div>
            ))}
          </dl>
        </Section>
      )}
      {report.warnings.length > 0 && (
        <Section>
          <div className="space-y-2">
            {report.warnings.map((text) => (
              <Warning key={text}>
                <b>{row.label}.</b> {text}
              </Warning>
            ))}
          </div>
        </Section>
      )}
    </>
  );
}
