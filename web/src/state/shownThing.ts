import { useEffect } from "react";
import { create } from "zustand";

/** What a page shows numbers of: a change map, dates, or the study as a whole. */
export type ShownThing =
  { kind: "map"; id: string } | { kind: "dates"; ids: readonly string[] } | { kind: "study" };

interface Showing {
  thing: ShownThing;
  set(thing: ShownThing): void;
}

/** What the page that is open shows numbers of. */
export const useShownThing = create<Showing>((set) => ({
  thing: { kind: "study" },
  set: (thing) => set({ thing }),
}));

/** Says what a page shows numbers of, for as long as it is open. */
export function useSayShown(map: string | null, dates: readonly (string | null)[]): void {
  const set = useShownThing((showing) => showing.set);
  const key = dates.filter(Boolean).join(" ");
  useEffect(() => {
    if (map) {
      set({ kind: "map", id: map });
    } else {
      set(key ? { kind: "dates", ids: key.split(" ") } : { kind: "study" });
    }
    return () => set({ kind: "study" });
  }, [set, map, key]);
}

/** The address of the lines of the ledger that made what is shown. */
export function linesAddress(study: string, thing: ShownThing): string {
  const search = new URLSearchParams({ of: "ledger" });
  if (thing.kind === "map") {
    search.set("lines", "map");
    search.set("map", thing.id);
  } else if (thing.kind === "dates") {
    search.set("lines", "dates");
    thing.ids.forEach((id) => search.append("date", id));
  }
  return `/studies/${study}/report?${search}`;
}
