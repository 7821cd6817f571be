import type { Scene } from "../../api/types";
import { type Axis, timeOf } from "./axis";

/** The two dates of a comparison. */
export type Side = "before" | "after";

interface Parts {
  /** Scenes that the handles may be put on, by date. */
  usable: readonly Scene[];
  before: Scene | undefined;
  after: Scene | undefined;
  onPair?: ((beforeId: string, afterId: string) => void) | undefined;
}

/** How the handles are moved: before stays before after, and nothing is told that is so already. */
export function pairing({ usable, before, after, onPair }: Parts) {
  const move = (side: Side, target: Scene | undefined) => {
    const first = side === "before" ? target : before;
    const second = side === "after" ? target : after;
    if (!target || !first || !second || timeOf(first) >= timeOf(second)) {
      return;
    }
    if (first.id !== before?.id || second.id !== after?.id) {
      onPair?.(first.id, second.id);
    }
  };
  const indexOf = (side: Side): number => {
    const own = side === "before" ? before : after;
    return usable.findIndex(({ id }) => id === own?.id);
  };
  return {
    move,
    indexOf,
    /** Moves a handle by so many scenes. */
    step: (side: Side, by: number) => move(side, usable[indexOf(side) + by]),
    /** Moves a handle to the scene that is nearest to a place on the strip, pixels. */
    moveNear: (side: Side, at: number, { x }: Axis) => {
      const distance = (scene: Scene) => Math.abs(x(timeOf(scene)) - at);
      move(side, [...usable].sort((a, b) => distance(a) - distance(b))[0]);
    },
  };
}

/** The handles of the strip. */
export type Pairing = ReturnType<typeof pairing>;
