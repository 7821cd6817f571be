import { create } from "zustand";
import { showNotice } from "../ui/notices";

export type View = "pair" | "curtain" | "blend" | "one";
/** How a notice is meant: in passing, or as something that went wrong. */
export type Tone = "info" | "wrong";

interface Ui {
  view: View;
  glancing: boolean;
  helpOpen: boolean;
  deskWidth: number;
  setView(value: View): void;
  setGlancing(glancing: boolean): void;
  setHelp(open: boolean): void;
  say(text: string, tone?: Tone): void;
  setDeskWidth(w: number): void;
}

/** State of the interface that no server needs to know. */
export const useUi = create<Ui>((set) => ({
  view: (new URLSearchParams(location.search).get("view") as View | null) ?? "curtain",
  glancing: false,
  helpOpen: false,
  deskWidth: Number(localStorage.getItem("deskWidth")) || 348,
  setView: (view) => {
    set({ view });
    putInAddress("view", view);
  },
  setGlancing: (glancing) => set({ glancing }),
  setHelp: (helpOpen) => set({ helpOpen }),
  say: (text, tone = "info") => showNotice(text, tone),
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
