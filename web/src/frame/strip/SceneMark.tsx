import type { Scene } from "../../api/types";
import { dayYear, time } from "../../lib/format";
import { cx } from "../../ui/cx";
import type { Side } from "./pairing";

interface Props {
  scene: Scene;
  /** The side of the comparison that it stands on, if any. */
  side: Side | null;
  x: number;
  /** 0 on the axis, −1 above it, 1 below it. */
  lane: number;
  isPicked: boolean;
  pick(): void;
}

const COLOUR: Record<Side, string> = {
  before: "border-before bg-before",
  after: "border-after bg-after",
};

/** A scene on the strip: radar is a diamond, everything else a disc. */
export function SceneMark({ scene, side, x, lane, isPicked, pick }: Props) {
  const { name, acquiredAt, imageId, kind } = scene;
  const when = `${dayYear(acquiredAt!)}, ${time(acquiredAt!)}`;
  return (
    <button
      type="button"
      disabled={!imageId}
      onClick={pick}
      aria-label={`${name}, ${when}${side ? `, ${side}` : ""}`}
      title={`${name}\n${when}`}
      className="absolute flex h-6 w-6 -translate-x-1/2 items-center justify-center"
      style={{ left: x, top: 35 + lane * 13 }}
    >
      <span
        className={cx(
          "block h-3 w-3 border-[1.5px]",
          kind === "radar" ? "rotate-45" : "rounded-full",
          side ? COLOUR[side] : "border-ink bg-paper",
          isPicked && "ring-2 ring-spruce ring-offset-1",
          !imageId && "opacity-40",
        )}
      />
    </button>
  );
}
