import { Undo2 } from "lucide-react";
import { Button } from "../ui/Button";
import type { BoardRow } from "./chainState";
import type { Prepare } from "./usePrepare";

/** Skip or use the step, take the last change back, run the date. */
export function StepFooter({
  runs,
  prepare,
  row,
  canUndo,
  onToggle,
}: {
  /** Whether the step is on. */
  runs: boolean;
  prepare: Prepare;
  row: BoardRow | null;
  canUndo: boolean;
  onToggle(): void;
}) {
  return (
    <div className="flex items-center justify-between gap-2">
      <Button onClick={onToggle}>{runs ? "Skip this step" : "Use this step"}</Button>
      <span className="flex gap-2">
        <Button title="Undo (Ctrl Z)" disabled={!canUndo} onClick={prepare.undo}>
          <Undo2 size={14} aria-hidden />
          Undo
        </Button>
        <Button
          tone="act"
          disabled={prepare.running || prepare.run.isPending || !row || row.ready}
          onClick={() => prepare.run.mutate([row!.sceneId])}
        >
          {row?.ready ? "This date is run" : "Run this date"}
        </Button>
      </span>
    </div>
  );
}
