/** A colour that stands for a doubt of a cell. */
interface Stop {
  doubt: number;
  color: string;
  alpha: number;
}

/** Colours of doubt, from none to as likely something else: what is sure lets the map through. */
export const DOUBT_STOPS: readonly Stop[] = [
  { doubt: 0.05, color: "#8a6d1f", alpha: 0 },
  { doubt: 0.2, color: "#d99a1c", alpha: 0.75 },
  { doubt: 0.5, color: "#fff3c4", alpha: 0.95 },
];
