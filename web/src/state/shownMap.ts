import { create } from "zustand";

interface ShownMap {
  /** By study the change map that was shown last. */
  ids: Readonly<Record<string, string>>;
  show(study: string, map: string): void;
}

/**
 * Which change map of a study this browser's page shows: it stays when another one is written, and from
 * Review to Tally to Report.
 */
export const useShownMap = create<ShownMap>((set) => ({
  ids: {},
  show: (study, map) =>
    set(({ ids }) => (ids[study] === map ? {} : { ids: { ...ids, [study]: map } })),
}));
