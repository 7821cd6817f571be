import { create } from "zustand";
import { createJSONStorage, persist } from "zustand/middleware";

interface Seen {
  /** Number of the last news that was on screen in this browser. */
  seen: number;
  see(id: number): void;
}

/** How far news were seen in this browser. */
export const useNewsSeen = create<Seen>()(
  persist((set) => ({ seen: 0, see: (id) => set({ seen: id }) }), {
    name: "news-seen",
    storage: createJSONStorage(() => localStorage),
    partialize: ({ seen }) => ({ seen }),
  }),
);
