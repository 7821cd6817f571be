import { Chip } from "../ui/Chip";
import { Pick } from "../ui/Pick";
import type { StepLook } from "./useStepLook";

/** What is shown of an optical step: bands, the haze map, a part of a mosaic. */
export function LookBar({ look, canPreview }: { look: StepLook; canPreview: boolean }) {
  return (
    <div
      className="absolute left-1/2 top-2.5 z-10 flex -translate-x-1/2 items-center gap-1.5 rounded-card bg-night/85 p-1"
      onPointerDown={(e) => e.stopPropagation()}
    >
      <Pick
        label="What is shown"
        className="h-7 w-[170px]"
        value={look.look}
        onChange={look.choose}
        options={look.looks}
      />
      {look.nodes?.levels && (
        <Chip on={look.levels} aria-pressed={look.levels} onClick={look.toggleLevels}>
          Haze map
        </Chip>
      )}
      {canPreview && <PreviewChip look={look} />}
    </div>
  );
}

function PreviewChip({ look }: { look: StepLook }) {
  if (look.preview) {
    return <Chip onClick={() => look.takePreview(null)}>Show the whole</Chip>;
  }
  const isMarking = look.marking === "preview";
  return (
    <Chip on={isMarking} onClick={look.markPreview}>
      {isMarking ? "Drag a box …" : "Preview a part"}
    </Chip>
  );
}
