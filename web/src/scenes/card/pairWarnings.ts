import { hasDate } from "@hindglance/core/scene/kinds";
import { comparisonWarnings } from "@hindglance/core/chain/comparable";
import type { Scene, Study } from "../../api/types";
import { dayYear } from "../../lib/format";
import { passOf } from "../filters";

const dateOf = (scene: Scene) => ({
  acquiredAt: scene.acquiredAt,
  pass: passOf(scene),
  incidenceDeg: scene.detail.incidenceDeg ?? null,
});

const lowerFirst = (text: string): string => `${text.slice(0, 1).toLowerCase()}${text.slice(1)}`;

/** What stands against comparing a scene with those that are chosen as before and after. */
export function pairWarnings(study: Study, scenes: readonly Scene[], scene: Scene): string[] {
  const { acquiredAt } = scene;
  if (!hasDate(scene.kind) || !acquiredAt || !study.compare) {
    return [];
  }
  const { beforeId, afterId } = study.compare;
  const chosen = scenes.filter(
    ({ id, kind, acquiredAt: at }) =>
      id !== scene.id && (id === beforeId || id === afterId) && kind === scene.kind && at,
  );
  return chosen.flatMap((other) => {
    const at = other.acquiredAt!;
    const [first, second] = at < acquiredAt ? [other, scene] : [scene, other];
    const side = other.id === beforeId ? "before" : "after";
    return comparisonWarnings(dateOf(first), dateOf(second)).map(
      (warning) => `With ${side}, ${dayYear(at)}: ${lowerFirst(warning)}`,
    );
  });
}
