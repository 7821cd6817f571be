import { useMutation, useQueryClient } from "@tanstack/react-query";
import { X } from "lucide-react";
import { type OrbitFile, sceneRoutes } from "@hindglance/contract/scenes";
import { utcText } from "@hindglance/core/radar/orbit";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { useOrbits } from "../api/hooks";
import { dayYear, time } from "../lib/format";
import { useUi } from "../state/ui";
import { lookAgain } from "./lookAgain";

/** From when to when a file has vectors. */
function spanOf({ from, to }: OrbitFile): string {
  const [first, last] = [utcText(from), utcText(to)];
  const end = dayYear(first) === dayYear(last) ? time(last) : `${dayYear(last)}, ${time(last)}`;
  return `${dayYear(first)}, ${time(first)} to ${end}`;
}

/** What a file does for the study, in words. */
function useOf({ serves, broken }: OrbitFile): string {
  const gap = broken.length > 0 ? `has a gap at the time of ${broken.join(", ")}` : null;
  if (serves.length > 0) {
    return [`serves ${serves.join(", ")}`, gap].filter(Boolean).join("; ");
  }
  return gap ? `${gap}: not used` : "serves no scene of this study yet";
}

function OrbitRow({ orbit, onRemove }: { orbit: OrbitFile; onRemove(): void }) {
  const isBroken = orbit.broken.length > 0;
  return (
    <li className="mt-1.5 flex items-start justify-between gap-2">
      <span className="min-w-0 text-label">
        <span className="[overflow-wrap:anywhere]">{orbit.fileName}</span>
        <span className="block text-soft">
          {orbit.kind}, {spanOf(orbit)}
        </span>
        <span className={isBroken ? "block text-wrong" : "block text-soft"}>{useOf(orbit)}</span>
      </span>
      <button
        type="button"
        aria-label={`Remove orbit file ${orbit.fileName}`}
        className="shrink-0 text-soft hover:text-wrong"
        onClick={onRemove}
      >
        <X size={14} aria-hidden />
      </button>
    </li>
  );
}

/** What the files do together, for a list that is folded. */
function summaryOf(orbits: readonly OrbitFile[]): string {
  const served = new Set(orbits.flatMap(({ serves }) => serves)).size;
  return served === 0
    ? "none serves a scene yet"
    : `for ${served} ${served === 1 ? "scene" : "scenes"}`;
}

/** Orbit files: folded, except those with a gap where a scene needs them. */
export function OrbitList({ studyId }: { studyId: string }) {
  const queryClient = useQueryClient();
  const orbits = useOrbits(studyId).data ?? [];
  const remove = useMutation({
    mutationFn: (id: string) => call(sceneRoutes.removeOrbit, { params: { id } }),
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
    onSettled: () => lookAgain(queryClient, studyId),
  });
  const rows = (all: readonly OrbitFile[]) => (
    <ul>
      {all.map((orbit) => (
        <OrbitRow key={orbit.id} orbit={orbit} onRemove={() => remove.mutate(orbit.id)} />
      ))}
    </ul>
  );
  const broken = orbits.filter((orbit) => orbit.broken.length > 0);
  const whole = orbits.filter((orbit) => orbit.broken.length === 0);
  return (
    orbits.length > 0 && (
      <section aria-label="Orbit files" className="mt-1 border-t border-line pt-2">
        {broken.length > 0 && rows(broken)}
        {whole.length > 0 && (
          <details className={broken.length > 0 ? "mt-1.5" : ""}>
            <summary className="cursor-pointer">
              <span className="font-medium">Orbit files · {whole.length}</span>{" "}
              <span className="text-label text-soft">{summaryOf(whole)}</span>
            </summary>
            {rows(whole)}
          </details>
        )}
      </section>
    )
  );
}
