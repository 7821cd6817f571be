import { useState } from "react";
import { useNavigate } from "react-router";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Flame, Layers, MapPin, Plus, Trash2, Waves } from "lucide-react";
import { api, sayError } from "../api/client";
import { keys, useStudies } from "../api/hooks";
import type { Study } from "../api/types";
import { dayYear, time } from "../lib/format";
import { useUi } from "../state/ui";
import { Button, Confirm, Problem } from "../ui/controls";
import { StudyDialog } from "./StudyDialog";

const ICON = { flood: Waves, fire: Flame, "land cover": Layers } as Record<string, typeof Waves>;

export function StudiesPage() {
  const studies = useStudies();
  const go = useNavigate();
  const q = useQueryClient();
  const [adding, setAdding] = useState(false);
  const [doomed, setDoomed] = useState<Study | null>(null);
  const remove = useMutation({
    mutationFn: (s: Study) => api("DELETE", `/studies/${s.id}`),
    onSuccess: (_r, s) => {
      void q.invalidateQueries({ queryKey: keys.studies });
      useUi.getState().say(`“${s.name}” was deleted.`);
    },
    onError: (e) => useUi.getState().say(sayError(e), "wrong"),
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
          {studies.data?.map((s) => {
            const Icon = ICON[s.hazard] ?? MapPin;
            return (
              <li
                key={s.id}
                className="flex items-center rounded-card border border-line bg-paper pr-3 hover:border-[#b9b2a0]"
              >
                <button
                  type="button"
                  onClick={() => void go(`/studies/${s.id}/${s.changeMaps ? "compare" : "scenes"}`)}
                  className="flex flex-1 items-center gap-4 px-4 py-3.5 text-left"
                >
                  <span className="flex h-10 w-10 items-center justify-center rounded-full bg-bone text-before">
                    <Icon size={19} aria-hidden />
                  </span>
                  <span className="flex-1">
                    <span className="block text-[15px] font-semibold leading-5">{s.name}</span>
                    <span className="text-soft">
                      {s.hazard[0]!.toUpperCase() + s.hazard.slice(1)}
                      {s.eventAt
                        ? ` · event ${dayYear(s.eventAt)}, ${time(new Date(s.eventAt).toISOString())}`
                        : ""}
                    </span>
                  </span>
                  <span className="w-28 text-right text-soft">
                    {s.scenes} scene{s.scenes === 1 ? "" : "s"}
                  </span>
                  <span className="w-32 text-right text-soft">
                    {s.changeMaps} change map{s.changeMaps === 1 ? "" : "s"}
                  </span>
                </button>
                <button
                  type="button"
                  aria-label={`Delete ${s.name}`}
                  title="Delete"
                  onClick={() => setDoomed(s)}
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
        onDone={(s) => void go(`/studies/${s.id}/scenes`)}
      />
      <Confirm
        open={!!doomed}
        onOpenChange={(o) => {
          if (!o) {
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
