import { create } from "zustand";

const KEY = "reviewer";

interface Reviewer {
  /** Who says what is said on this page; empty until somebody says who he is. */
  name: string;
  setName(name: string): void;
}

/** Who reviews at this browser: his verdicts carry the name. */
export const useReviewer = create<Reviewer>((set) => ({
  // Outside of a browser nobody is named.
  name: globalThis.localStorage?.getItem(KEY) ?? "",
  setName: (name) => {
    localStorage.setItem(KEY, name);
    set({ name });
  },
}));
