import { create } from "zustand";
import { uuid } from "../lib/uuid";

/** What this page calls itself to the server. */
export const PAGE = uuid();

/** How often the line over which this page hears of events has been made. */
export const useLine = create<{ made: number }>(() => ({ made: 0 }));
