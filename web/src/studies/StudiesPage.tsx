import { useState } from "react";
import { useNavigate } from "react-router";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Plus, Waves } from "lucide-react";
import { studyRoutes } from "@hindglance/contract/studies";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { keys, useStudies } from "../api/hooks";
import type { StudySummary } from "../api/types";
import { useUi } from "../state/ui";
import { Button } from "../ui/Button";
import { Confirm } from "../ui/Confirm";
import { Problem } from "../ui/Messages";
import { StudyDialog } from "./StudyDialog";
import { StudyRow } from "./StudyRow";

function useRemove() {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (study: StudySummary) => call(studyRoutes.remove, { params: { id: study.id } }),
    onSuccess: (_answer, study) => {
      void queryClient.invalidateQueries({ queryKey: keys.studies });
      useUi.getState().say(`“${study.name}” was deleted.`);
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
}

/** All studies: opened, begun, deleted. */
export function StudiesPage() {
  const studies = useStudies();
  const go = useNavigate();
  const remove = useRemove();
  const [adding, setAdding] = useState(false);
  const [doomed, setDoomed] = useState<StudySummary | null>(null);
  const open = ({ id, changeMaps }: StudySummary) =>
    void go(`/studies/${id}/${changeMaps ? "compare" : "scenes"}`);
  return (
    <main className="min-h-0 flex-1 overflow-auto">
      <div className="mx-auto w-[880px] py-10">
        <div className="mb-5 flex items-end justify-between">
          <div>
            <h1 className="text-figure font-bold">Studies</h1>
            <p className="text-soft">
              One question about one place: what changed, where, and how much of it.
            </p>
          </div>
          <Button tone="act" onClick={() => setAdding(true)}>
            <Plus size={15} aria-hidden />
            New study
          </Button>
        </div>
        {studies.error && <Problem>{sayError(studies.error)}</Problem>}
        {studies.data?.length === 0 && <NoStudy add={() => setAdding(true)} />}
        <ul className="space-y-2.5">
          {studies.data?.map((study) => (
            <StudyRow
              key={study.id}
              study={study}
              open={() => open(study)}
              remove={() => setDoomed(study)}
            />
          ))}
        </ul>
      </div>
      <StudyDialog
        open={adding}
        onOpenChange={setAdding}
        onDone={(study) => void go(`/studies/${study.id}/scenes`)}
      />
      <Confirm
        open={!!doomed}
        onOpenChange={(isOpen) => setDoomed(isOpen ? doomed : null)}
        title={`Delete “${doomed?.name ?? ""}”?`}
        act="Delete the study"
        onAct={() => doomed && remove.mutate(doomed)}
        text={`Its ${doomed?.scenes ?? 0} scenes, ${doomed?.changeMaps ?? 0} change maps, their files and the ledger are deleted with it. This cannot be taken back.`}
      />
    </main>
  );
}

const NoStudy = ({ add }: { add(): void }) => (
  <div className="rounded-card border border-dashed border-[#b9b2a0] bg-paper px-8 py-12 text-center">
    <Waves className="mx-auto mb-3 text-before" aria-hidden />
    <h2 className="mb-1 text-[16px]">No study yet</h2>
    <p className="mx-auto mb-4 w-[420px] text-soft">
      Begin with a name, the date of the event and the area that is asked about. Then add a scene
      from before and one from after.
    </p>
    <Button tone="act" onClick={add}>
      New study
    </Button>
  </div>
);
