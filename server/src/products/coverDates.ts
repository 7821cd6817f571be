import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { Scene } from "../db/scenes";
import { iso } from "./time";

const DAY_MS = 86_400_000;

/** What is said where the classes are of other days than the pictures beside them. */
export function coverDateWarnings(
  scenes: readonly Scene[],
  { before, after }: Record<"before" | "after", Scene>,
  { transitions }: ChangeSetup,
): string[] {
  const off = (side: Scene, id: string | undefined) => {
    const at = scenes.find((scene) => scene.id === id)?.acquiredAt;
    const apart =
      at && side.acquiredAt ? Date.parse(iso(at)) - Date.parse(iso(side.acquiredAt)) : 0;
    return at && Math.abs(apart) >= DAY_MS ? iso(at).slice(0, 10) : null;
  };
  return [
    { side: before, name: "Before", day: off(before, transitions?.beforeId) },
    { side: after, name: "After", day: off(after, transitions?.afterId) },
  ].flatMap(({ side, name, day }) =>
    day
      ? [
          `${name}: the classes are of ${day}, the picture is ${side.name}. Put the handles of the time strip on the dates of the classes.`,
        ]
      : [],
  );
}
