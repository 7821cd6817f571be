import { useUi } from "../state/ui";
import { Sheet } from "../ui/Sheet";

const KEYS: [key: string, what: string][] = [
  ["Space (hold)", "Glance at the before side; in Prepare at what went into the step"],
  ["1 2 3 4", "Pair, Curtain, Blend, One"],
  ["[ and ]", "Move the after handle to the scene before or after it"],
  ["← →", "On a handle, threshold or curtain: move it; with Shift ten times as far"],
  ["J and K", "In Review: the next and the previous patch"],
  ["R, F, O", "In Review: the patch is real, false, or stays open; then the next"],
  ["E", "In Review: edit the picked patch"],
  ["D, S, C, M, Delete", "In Edits: draw; reshape, cut, merge or delete what is picked; Esc stops"],
  [", and .", "While a patch is reshaped, on the map: the corner before, the next one"],
  ["arrows, + and Delete", "They move that corner, make one after it, take it away"],
  ["A, S, D … and X", "In Accuracy: the place is of a class, or cannot be told; then the next"],
  ["+ − and arrows", "On the map: zoom and move"],
  ["arrows", "On the board of Prepare: from cell to cell; Enter picks"],
  ["Ctrl Z, Ctrl Shift Z", "Undo, redo (in Prepare, Align and Classify: undo)"],
  ["Enter / Esc", "In a number: take it / leave it"],
  ["?", "This list"],
];

/** The list of keys. */
export function Help() {
  const open = useUi((state) => state.helpOpen);
  const setHelp = useUi((state) => state.setHelp);
  return (
    <Sheet open={open} onOpenChange={setHelp} title="Keys">
      <dl className="grid grid-cols-[150px_1fr] gap-y-2">
        {KEYS.map(([key, what]) => (
          <div key={key} className="contents">
            <dt className="font-mono text-[12px]">{key}</dt>
            <dd>{what}</dd>
          </div>
        ))}
      </dl>
    </Sheet>
  );
}
