import type { Family } from "@hindglance/core/chain/family";
import { prepareRoutes } from "@hindglance/contract/prepare";
import { call } from "../api/call";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { NotRun as NotRunDate } from "@hindglance/contract/comparison";
import { sayError } from "../api/client";
import { keys, useRuns } from "../api/hooks";
import { useUi } from "../state/ui";
import { Button } from "../ui/Button";
import { Warning } from "../ui/Messages";

/**
 * Says that dates were set differently after they were last run, so that they would be prepared on
 * the way, and offers to run them.
 */
export function NotRun({
  studyId,
  dates,
  families,
  waits,
  onAnyway,
}: {
  studyId: string;
  dates: readonly NotRunDate[];
  /** The chains that the dates belong to. */
  families: readonly Family[];
  /** Whether exact areas wait for an answer. */
  waits: boolean;
  onAnyway(): void;
}) {
  const queryClient = useQueryClient();
  const running = useRuns().data?.some(
    (run) => run.kind === "prepareDates" && run.studyId === studyId && run.state === "running",
  );
  const run = useMutation({
    mutationFn: async () => {
      for (const family of families) {
        await call(prepareRoutes.run, {
          params: { id: studyId },
          query: { family },
          body: { sceneIds: dates.map((date) => date.sceneId) },
        });
      }
    },
    onSuccess: () => void queryClient.invalidateQueries({ queryKey: keys.runs }),
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const names = dates.map((date) => date.name).join(" and ");
  return (
    <Warning>
      <p>
        The chain of {names} was set differently after it was last run. What you see is prepared on
        the way, tile by tile; exact areas would take as long as running it.
      </p>
      <div className="mt-2 flex gap-2">
        <Button className="h-7" disabled={run.isPending || running} onClick={() => run.mutate()}>
          {running ? "Running …" : "Run the chain"}
        </Button>
        {waits && !running && (
          <Button tone="quiet" className="h-7" onClick={onAnyway}>
            Measure anyway
          </Button>
        )}
      </div>
    </Warning>
  );
}
