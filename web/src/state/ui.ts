import { create } from "zustand";

export type View = "pair" | "curtain" | "blend" | "one";
export interface Notice {
  id: number;
  tone: "info" | "wrong";
  text: string;
}

interface Ui {
  view: View;
  glancing: boolean;
  helpOpen: boolean;
  notices: Notice[];
  deskWidth: number;
  setView(value: View): void;
  setGlancing(glancing: boolean): void;
  setHelp(open: boolean): void;
  say(text: string, tone?: Notice["tone"]): void;
  dismiss(id: number): void;
  setDeskWidth(w: number): void;
}

let next = 1;
/** State of the interface that no server needs to know. */
export const useUi = create<Ui>((set) => ({
  view: (new URLSearchParams(location.search).get("view") as View | null) ?? "curtain",
  glancing: false,
  helpOpen: false,
  notices: [],
  deskWidth: Number(localStorage.getItem("deskWidth")) || 348,
  setView: (view) => {
    set({ view });
    putInAddress("view", view);
  },
  setGlancing: (glancing) => set({ glancing }),
  setHelp: (helpOpen) => set({ helpOpen }),
  say: (text, tone = "info") => {
    const id = next++;
    set((s) => ({ notices: [...s.notices.slice(-3), { id, tone, text }] }));
    if (tone === "info") {
      setTimeout(
        () => set((s) => ({ notices: s.notices.filter((notice) => notice.id !== id) })),
        5000,
      );
    }
  },
  dismiss: (id) => set((s) => ({ notices: s.notices.filter((notice) => notice.id !== id) })),
  setDeskWidth: (deskWidth) => {
    const w = Math.max(320, Math.min(560, deskWidth));
    localStorage.setItem("deskWidth", String(w));
    set({ deskWidth: w });
  },
}));

/**
 * Keeps a value in the page's address without a new page, so that a link shows a colleague the
 * same.
 */
export function putInAddress(name: string, value: string | null): void {
  const url = new URL(location.href);
  if (value === null) {
    url.searchParams.delete(name);
  } else {
    url.searchParams.set(name, value);
  }
  history.replaceState(history.state, "", url);
}
