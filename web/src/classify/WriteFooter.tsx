import { useMutation } from "@tanstack/react-query";
import { classifyRoutes } from "@hindglance/contract/classify";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { useRuns } from "../api/hooks";
import { useSettled } from "../compare/useSettled";
import { useUi } from "../state/ui";
import { Bar } from "../ui/Bar";
import { Button } from "../ui/Button";
import { Problem } from "../ui/Messages";
import { type Way, canWrite, wayOf } from "./changes";
import type { Classify } from "./useClassify";
import type { TrainingOnScreen } from "./useTraining";

const NEEDED: Record<Way, string> = {
  training: "Two classes with areas are needed",
  groups: "Give groups to classes first",
  model: "There is no date yet",
};
const HOW: Record<Way, string> = {
  training: "each trained by its own cells",
  groups: "by groups of like cells",
  model: "by the model",
};

/** Training that takes no longer is not spoken of, milliseconds. */
const SOON_MS = 500;

interface Props {
  studyId: string;
  classify: Classify;
  training: TrainingOnScreen;
}

/**
 * Writes the classes of every date as scenes of their own. What keeps the shown date from being trained
 * on is said here, in sight wherever the desk is scrolled to.
 */
export function WriteFooter({ studyId, classify, training }: Props) {
  const { view, settings, saving } = classify;
  const dates = (view?.dates ?? []).filter(
    ({ sceneId, problem }) => !problem && canWrite(settings, sceneId),
  );
  const write = useMutation({
    mutationFn: () =>
      call(classifyRoutes.write, {
        params: { id: studyId },
        body: { sceneIds: dates.map(({ sceneId }) => sceneId) },
      }),
    onSuccess: ({ scenes }) =>
      useUi.getState().say(`${scenes.length} maps are being written; they will be in Scenes.`),
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const isLong = useSettled(training.isPending, SOON_MS, false) && training.isPending;
  const said =
    dates.length === 0
      ? NEEDED[wayOf(settings)]
      : `${dates.length} ${dates.length === 1 ? "date" : "dates"}, ${HOW[wayOf(settings)]}`;
  const running = (useRuns().data ?? []).find(
    (run) => run.state === "running" && write.data?.scenes.some(({ runId }) => runId === run.id),
  );
  return (
    <>
      {training.error && (
        <div className="mb-2">
          <Problem>{sayError(training.error)}</Problem>
        </div>
      )}
      <div className="flex items-center justify-between gap-3">
        <span className="text-soft" role="status">
          {isLong ? "Training …" : said}
        </span>
        {running ? (
          <span className="w-[140px] shrink-0">
            <span className="text-label text-soft">{running.doing}</span>
            <Bar share={running.progress} label="Writing land cover" />
          </span>
        ) : (
          <Button
            tone="act"
            disabled={dates.length === 0 || !!training.error || saving || write.isPending}
            onClick={() => write.mutate()}
          >
            Write land cover
          </Button>
        )}
      </div>
    </>
  );
}
