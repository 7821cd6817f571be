import { useMutation, useQueryClient } from "@tanstack/react-query";
import { uploadRoutes } from "@hindglance/contract/upload";
import { call } from "../api/call";
import { sayError } from "../api/client";
import type { Upload } from "../api/types";
import { useUi } from "../state/ui";
import { Button } from "../ui/Button";
import { lookAgain } from "./lookAgain";

/**
 * A file that arrived and was neither imported nor asked about, because its page was closed or the
 * server stopped: it can be looked at again, or left out.
 */
export function LeftBehind({ studyId, upload }: { studyId: string; upload: Upload }) {
  const queryClient = useQueryClient();
  const act = useMutation({
    mutationFn: (what: "take" | "remove") =>
      call(uploadRoutes[what], { params: { id: upload.id } }),
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
    onSettled: () => lookAgain(queryClient, studyId),
  });
  return (
    <section
      aria-label={`${upload.name} is not imported yet`}
      className="rounded-card border border-line bg-white p-3"
    >
      <h3 className="[overflow-wrap:anywhere]">{upload.name} is not imported yet</h3>
      <p className="mb-2 text-soft">It arrived, but nobody went on with it.</p>
      <div className="flex justify-end gap-2">
        <Button disabled={act.isPending} onClick={() => act.mutate("remove")}>
          Leave it out
        </Button>
        <Button tone="act" disabled={act.isPending} onClick={() => act.mutate("take")}>
          Import
        </Button>
      </div>
    </section>
  );
}
