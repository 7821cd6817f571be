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

/** Widths that the desk can have, pixels. */
export const DESK_WIDTHS = { least: 320, most: 560, usual: 348 };

const VIEWS: readonly View[] = ["pair", "curtain", "blend", "one"];

/** The view that the address names, else the curtain. */
function viewInAddress(): View {
  const named = new URLSearchParams(location.search).get("view");
  return VIEWS.find((view) => view === named) ?? "curtain";
}

/** State of the interface that no server needs to know. */
export const useUi = create<Ui>((set) => ({
  view: viewInAddress(),
  glancing: false,
  helpOpen: false,
  deskWidth: Number(localStorage.getItem("deskWidth")) || DESK_WIDTHS.usual,
  setView: (view) => {
    set({ view });
    putInAddress("view", view);
  },
  setGlancing: (glancing) => set({ glancing }),
  setHelp: (helpOpen) => set({ helpOpen }),
  say: (text, tone = "info") => showNotice(text, tone),
  setDeskWidth: (deskWidth) => {
    const w = Math.max(DESK_WIDTHS.least, Math.min(DESK_WIDTHS.most, deskWidth));
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
