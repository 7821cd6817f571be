import { studyRoutes } from "@hindglance/contract/studies";
import { call } from "../api/call";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Flame, Layers, MapPin, Plus, Trash2, Waves } from "lucide-react";
import { sayError } from "../api/client";
import { keys, useStudies } from "../api/hooks";
import type { StudySummary } from "../api/types";
import { dayYear, time } from "../lib/format";
import { useUi } from "../state/ui";
import { Button, Confirm, Problem } from "../ui/controls";
import { StudyDialog } from "./StudyDialog";

const ICON = { flood: Waves, fire: Flame, "land cover": Layers } as Record<string, typeof Waves>;

/** All studies: opened, begun, deleted. */
export function StudiesPage() {
  const studies = useStudies();
  const go = useNavigate();
  const queryClient = useQueryClient();
  const [adding, setAdding] = useState(false);
  const [doomed, setDoomed] = useState<StudySummary | null>(null);
  const remove = useMutation({
    mutationFn: (study: StudySummary) => call(studyRoutes.remove, { params: { id: study.id } }),
    onSuccess: (_r, study) => {
      void queryClient.invalidateQueries({ queryKey: keys.studies });
      useUi.getState().say(`“${study.name}” was deleted.`);
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
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
        {studies.data?.length === 0 && (
          <div className="rounded-card border border-dashed border-[#b9b2a0] bg-paper px-8 py-12 text-center">
            <Waves className="mx-auto mb-3 text-before" aria-hidden />
            <h2 className="mb-1 text-[16px]">No study yet</h2>
            <p className="mx-auto mb-4 w-[420px] text-soft">
              Begin with a name, the date of the event and the area that is asked about. Then add a
              scene from before and one from after.
            </p>
            <Button tone="act" onClick={() => setAdding(true)}>
              New study
            </Button>
          </div>
        )}
        <ul className="space-y-2.5">
          {studies.data?.map((study) => {
            const Icon = ICON[study.hazard] ?? MapPin;
            return (
              <li
                key={study.id}
                className="flex items-center rounded-card border border-line bg-paper pr-3 hover:border-[#b9b2a0]"
              >
                <button
                  type="button"
                  onClick={() =>
                    void go(`/studies/${study.id}/${study.changeMaps ? "compare" : "scenes"}`)
                  }
                  className="flex flex-1 items-center gap-4 px-4 py-3.5 text-left"
                >
                  <span className="flex h-10 w-10 items-center justify-center rounded-full bg-bone text-before">
                    <Icon size={19} aria-hidden />
                  </span>
                  <span className="flex-1">
                    <span className="block text-[15px] font-semibold leading-5">{study.name}</span>
                    <span className="text-soft">
                      {study.hazard[0]!.toUpperCase() + study.hazard.slice(1)}
                      {study.eventAt
                        ? ` · event ${dayYear(study.eventAt)}, ${time(new Date(study.eventAt).toISOString())}`
                        : ""}
                    </span>
                  </span>
                  <span className="w-28 text-right text-soft">
                    {study.scenes} scene{study.scenes === 1 ? "" : "s"}
                  </span>
                  <span className="w-32 text-right text-soft">
                    {study.changeMaps} change map{study.changeMaps === 1 ? "" : "s"}
                  </span>
                </button>
                <button
                  type="button"
                  aria-label={`Delete ${study.name}`}
                  title="Delete"
                  onClick={() => setDoomed(study)}
                  className="ml-2 rounded p-2 text-soft hover:bg-bone hover:text-wrong"
                >
                  <Trash2 size={16} aria-hidden />
                </button>
              </li>
            );
          })}
        </ul>
      </div>
      <StudyDialog
        open={adding}
        onOpenChange={setAdding}
        onDone={(study) => void go(`/studies/${study.id}/scenes`)}
      />
      <Confirm
        open={!!doomed}
        onOpenChange={(open) => {
          if (!open) {
            setDoomed(null);
          }
        }}
        title={`Delete “${doomed?.name ?? ""}”?`}
        act="Delete the study"
        onAct={() => {
          if (doomed) {
            remove.mutate(doomed);
          }
        }}
        text={`Its ${doomed?.scenes ?? 0} scenes, ${doomed?.changeMaps ?? 0} change maps, their files and the ledger are deleted with it. This cannot be taken back.`}
      />
    </main>
  );
}
