import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { changesBetween } from "@hindglance/contract/changes";
import { comparisonRoutes } from "@hindglance/contract/compare";
import { type Comparison, SCENE_KINDS } from "@hindglance/contract/comparison";
import { studyRoutes } from "@hindglance/contract/studies";
import { type Transitions, transitionsThere } from "@hindglance/core/change/transitions";
import type { FromToTable } from "@hindglance/core/cover/fromToTable";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import { keys, useScenes, useSides } from "../../api/hooks";
import type { Scene, Side, Study } from "../../api/types";
import { startOf } from "../../compare/begin";
import { coverSide } from "../../compare/pair";
import { useUi } from "../../state/ui";
import { unlikelyIn } from "./unlikely";
import type { FromToOnScreen } from "./useFromTo";

/** A date of the study that a classified scene is of, and how it is compared. */
interface DateOf {
  scene: Scene;
  side: Side;
}

const apart = (scene: Scene, at: string): number =>
  Math.abs(Date.parse(scene.acquiredAt!) - Date.parse(at));

/** The date nearest in time to a classified scene; null where there is none. */
export function dateOfCover(
  cover: Scene | undefined,
  scenes: readonly Scene[],
  sides: readonly Side[],
): DateOf | null {
  const at = cover?.acquiredAt;
  if (!at) {
    return null;
  }
  const dates = scenes.flatMap((scene) => {
    const side = sides.find(({ sceneId }) => sceneId === scene.id);
    return scene.acquiredAt && side?.node && side.info ? [{ scene, side }] : [];
  });
  return dates.sort((a, b) => apart(a.scene, at) - apart(b.scene, at))[0] ?? null;
}

/** Settings of a map of the transitions that are there. */
const transitionsOf = (
  { pair, unlikely }: FromToOnScreen,
  table: FromToTable,
): Transitions | null =>
  pair &&
  transitionsThere(pair, table, {
    show: "transition",
    unlikely: unlikelyIn(unlikely, pair.classes),
  });

const kindOf = (scene: Scene) => SCENE_KINDS.find((kind) => kind === scene.kind) ?? "other";

/** A study's comparison with a pair and its transitions; what another kind was left with is kept. */
function comparisonWith(
  study: Study,
  { before, after }: { before: DateOf; after: DateOf },
  made: { transitions: Transitions; scenes: readonly Scene[] },
): Comparison {
  const old = study.compare;
  const hasElevation = made.scenes.some(({ kind, imageId }) => kind === "elevation" && imageId);
  const isSame = old?.beforeId === before.scene.id && old.afterId === after.scene.id;
  const setup = (isSame && old.setup) || startOf(before.side, study, hasElevation);
  const left = made.scenes.find(({ id }) => id === old?.beforeId);
  const kept =
    old && left && kindOf(left) !== kindOf(before.scene)
      ? { [kindOf(left)]: { beforeId: old.beforeId, afterId: old.afterId, setup: old.setup } }
      : {};
  return {
    beforeId: before.scene.id,
    afterId: after.scene.id,
    setup: { ...setup, transitions: made.transitions },
    others: { ...old?.others, ...kept },
  };
}

type Dates = Record<"before" | "after", DateOf>;

/** The dates nearest to both maps; null where they are not there, or one and the same. */
function picturesOf(
  shown: FromToOnScreen,
  scenes: readonly Scene[],
  sides: readonly Side[],
): Dates | null {
  const before = dateOfCover(shown.before, scenes, sides);
  const after = dateOfCover(shown.after, scenes, sides);
  return before && after && before.scene.id !== after.scene.id ? { before, after } : null;
}

/** Both maps themselves, where each has its day; else null. */
function coversOf({ before, after }: FromToOnScreen): Dates | null {
  const [was, is] = [before, after].map((scene) => {
    const side = scene?.acquiredAt ? coverSide(scene) : null;
    return side && { scene: scene!, side };
  });
  return was && is ? { before: was, after: is } : null;
}

/**
 * Takes what became of what to Compare: over the pictures of the dates that the maps are of or, where
 * there are none, over the maps themselves. There it gets limits and is written as a change map.
 * `dates`: null where a map has no day.
 */
export function useTakeToCompare(studyId: string, shown: FromToOnScreen) {
  const go = useNavigate();
  const queryClient = useQueryClient();
  const scenes = useScenes(studyId).data ?? [];
  const sides = useSides(studyId).data ?? [];
  const pictures = picturesOf(shown, scenes, sides);
  const dates = pictures ?? coversOf(shown);
  const take = useMutation({
    mutationFn: async () => {
      const transitions = shown.whole && transitionsOf(shown, shown.whole);
      if (!dates || !transitions) {
        return;
      }
      const study = await call(studyRoutes.find, { params: { id: studyId } });
      const next = comparisonWith(study, dates, { transitions, scenes });
      await call(comparisonRoutes.change, {
        params: { id: studyId },
        body: { changes: changesBetween(study.compare, next), measure: "no" },
      });
      await queryClient.invalidateQueries({ queryKey: keys.comparison(studyId) });
      void go(`/studies/${studyId}/compare`);
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  return { dates, isOfPictures: !!pictures, take: () => take.mutate(), isPending: take.isPending };
}
