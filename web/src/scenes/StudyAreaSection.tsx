import { Pencil, Undo2 } from "lucide-react";
import type { Study } from "../api/types";
import { Section } from "../frame/Section";
import { Button } from "../ui/Button";

const textOf = (drawing: boolean, study: Study): string => {
  if (drawing) {
    return "Click the corners on the map; double-click ends the outline.";
  }
  return study.studyArea
    ? "Everything is counted inside the white outline."
    : "None yet: everything that both dates show would be counted. Draw it, or drop a file of polygons.";
};

/** The outline inside which everything is counted. */
export function StudyAreaSection({
  study,
  drawing,
  onDraw,
  onEdit,
  onUndo,
}: {
  study: Study;
  drawing: boolean;
  onDraw(): void;
  onEdit(): void;
  onUndo: (() => void) | null;
}) {
  const draw = study.studyArea ? "Draw anew" : "Draw";
  return (
    <Section
      title="Study area"
      right={
        <span className="flex gap-1">
          {onUndo && !drawing && (
            <Button
              tone="quiet"
              className="h-6 w-7 px-0"
              aria-label="Undo the study area"
              title="Undo the study area"
              onClick={onUndo}
            >
              <Undo2 size={14} className="shrink-0" aria-hidden />
            </Button>
          )}
          <Button tone="quiet" className="h-6 px-2" onClick={onDraw}>
            {drawing ? "Stop drawing" : draw}
          </Button>
          <Button tone="quiet" className="h-6 px-2" onClick={onEdit}>
            <Pencil size={13} aria-hidden />
            Study
          </Button>
        </span>
      }
    >
      <p className="text-soft">{textOf(drawing, study)}</p>
    </Section>
  );
}
