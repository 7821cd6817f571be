import type { Scene } from "../../api/types";
import { dayYear, time } from "../../lib/format";
import { cx } from "../../ui/cx";

interface Props {
  side: "before" | "after";
  scene: Scene;
  bandName: string;
  /** In the right upper corner, not the left. */
  right?: boolean;
}

/** Which date a map, or a side of it, shows. */
export function Tag({ side, scene, bandName, right }: Props) {
  return (
    <div
      className={cx(
        "pointer-events-none absolute top-3 rounded-field px-2.5 py-1 text-[11px] text-white",
        side === "before" ? "bg-before" : "bg-after",
        right ? "right-3" : "left-3",
      )}
    >
      <b className="mr-2 text-[12px]">{side === "before" ? "Before" : "After"}</b>
      {dayYear(scene.acquiredAt!)}, {time(new Date(scene.acquiredAt!).toISOString())} · {bandName}
    </div>
  );
}

/** What a map shows in the place of a date. */
export const CoverTag = ({ text }: { text: string }) => (
  <div className="pointer-events-none absolute right-3 top-3 rounded-field bg-ink px-2.5 py-1 text-[11px] text-white">
    <b className="mr-2 text-[12px]">Second sensor</b>
    {text}
  </div>
);
