import type { Field, Option } from "../form/fields";
import { WINDOW_CELLS } from "./settings";

/** Ways in which a cell takes its value, the plainest first. */
export const RESAMPLINGS: readonly Option[] = [
  { value: "nearest", name: "Nearest" },
  { value: "bilinear", name: "Bilinear" },
  { value: "cubic", name: "Cubic" },
];

/** Width of a square window of cells. */
export const WINDOW: Field = {
  kind: "choice",
  at: "windowCells",
  label: "Window, cells",
  name: "Window",
  options: WINDOW_CELLS.map((value) => ({ value, name: String(value) })),
};
