import type { QueryClient } from "@tanstack/react-query";
import { keys } from "../api/hooks";

/**
 * Asks anew for all that a file can change which came, was answered or left out. An orbit file can
 * serve scenes that are there: their chains too.
 */
export function lookAgain(queryClient: QueryClient, studyId: string): void {
  const { arriving, scenes, study, uploads, zones, prepare, sides, orbits, runs } = keys;
  const ofStudy = [arriving, scenes, study, uploads, zones, prepare, sides, orbits];
  for (const queryKey of [...ofStudy.map((key) => key(studyId)), runs]) {
    void queryClient.invalidateQueries({ queryKey });
  }
}
