import { type ReactNode, useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { uploadRoutes } from "@hindglance/contract/upload";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { keys } from "../api/hooks";
import type { Upload, UploadDetail } from "../api/types";
import { Button } from "../ui/Button";
import { Problem } from "../ui/Messages";
import { AskRaster } from "./AskRaster";
import { AskStack } from "./AskStack";
import { AskVectors } from "./AskVectors";

/** What the form of a question gets: what was found, and how its answer is given. */
export interface Question {
  studyId: string;
  upload: Upload;
  detail: UploadDetail;
  /** Does what was answered; what goes wrong is said on the card. */
  onAnswer(work: () => Promise<unknown>): void;
  /** The buttons of the card; `ready`: whether everything is answered. */
  buttons(ready: boolean): ReactNode;
}

/** Refreshes what an imported or removed upload changes. */
function useRefresh(studyId: string): () => void {
  const queryClient = useQueryClient();
  return () => {
    for (const queryKey of [
      keys.study(studyId),
      keys.scenes(studyId),
      keys.uploads(studyId),
      keys.zones(studyId),
      keys.overlays(studyId),
      keys.runs,
    ]) {
      void queryClient.invalidateQueries({ queryKey });
    }
  };
}

/** Asks for what a file does not say, and imports it then. */
export function Ask({
  studyId,
  upload,
  detail,
}: {
  studyId: string;
  upload: Upload;
  detail: UploadDetail;
}) {
  const refresh = useRefresh(studyId);
  const [problem, setProblem] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const act = async (work: () => Promise<unknown>) => {
    setBusy(true);
    setProblem(null);
    try {
      await work();
    } catch (error) {
      setProblem(sayError(error));
    }
    setBusy(false);
    refresh();
  };
  const question: Question = {
    studyId,
    upload,
    detail,
    onAnswer: (work) => void act(work),
    buttons: (ready) => (
      <>
        {problem && (
          <div className="mb-2">
            <Problem>{problem}</Problem>
          </div>
        )}
        <div className="flex justify-end gap-2">
          <Button
            onClick={() => void act(() => call(uploadRoutes.remove, { params: { id: upload.id } }))}
          >
            Leave it out
          </Button>
          <Button tone="act" type="submit" disabled={!ready || busy}>
            Import
          </Button>
        </div>
      </>
    ),
  };
  return (
    <section
      aria-label={`Questions about ${upload.name}`}
      className="rounded-card border border-[#e5c57f] bg-warnbg p-3"
    >
      <h3 className="mb-2 [overflow-wrap:anywhere]">{upload.name} does not say everything</h3>
      <FormOf {...question} />
    </section>
  );
}

function FormOf(question: Question) {
  switch (question.detail.form) {
    case "vectors": {
      // With every layer that is taken the questions begin anew.
      const taken = (question.detail.layers ?? []).filter((layer) => layer.taken).length;
      return <AskVectors key={taken} {...question} />;
    }
    case "stack":
      return <AskStack {...question} />;
    default:
      return <AskRaster {...question} />;
  }
}
