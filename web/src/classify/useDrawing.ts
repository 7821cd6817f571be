import { useState } from "react";
import { MOST_RING_PLACES } from "@hindglance/core/classify/settings";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import { withoutTests } from "@hindglance/core/classify/testAreas";
import { splitByLine } from "@hindglance/core/vector/split";
import { uuid } from "../lib/uuid";
import type { Drawing } from "../map/useDraw";
import { useUi } from "../state/ui";
import { withAreas } from "@hindglance/core/classify/legend";
import { withoutAreas } from "./changes";
import type { Classify } from "./useClassify";
import { useGrow } from "./useGrow";

/** How areas come about: drawn as outlines, a cell at a time, or grown from a place. */
export type Making = Drawing | "cell" | "grow";
/** What the pointer does on the map: makes areas, or changes the one that is picked. */
export type Doing = Making | "shape" | "split";

/** Whether an area can be kept: its rings have no more corners than can be. */
export const isKeepable = (polygons: MultiPolygon): boolean =>
  polygons.length > 0 && polygons.flat().every((ring) => ring.length <= MOST_RING_PLACES);

/** Which class areas are made for, how, and which of them is picked. */
export function useDrawing(studyId: string, sceneId: string | null, classify: Classify) {
  const [active, setActive] = useState<number | null>(null);
  const [doing, setDoing] = useState<Doing | null>(null);
  const [picked, setPicked] = useState<string | null>(null);
  const [isForTest, setIsForTest] = useState(false);
  const grow = useGrow(studyId, sceneId);
  const { settings, change } = classify;
  const { legend, areas } = settings;
  const label = legend.some((one) => one.label === active) ? active : (legend[0]?.label ?? null);
  const area = picked ? areas[picked] : undefined;
  const isOfArea = doing === "shape" || doing === "split";
  const begin = (next: Doing | null) => {
    grow.discard();
    setDoing(next);
  };
  /** Keeps an area of the class; whether that could be done. */
  const add = (polygons: MultiPolygon): boolean =>
    label !== null &&
    change(
      withAreas({
        [uuid()]: { label, sceneId: null, ...(isForTest ? { isTest: true } : {}), polygons },
      }),
    );
  /** Keeps ground that grew, without that of test areas; whether there was any. */
  const keepGrown = (grown: MultiPolygon): boolean => {
    const { polygons, tests } = isForTest
      ? { polygons: grown, tests: 0 }
      : withoutTests({ polygons: grown, sceneId: null }, areas);
    if (polygons.length === 0) {
      useUi.getState().say("All of it is ground of test areas.", "wrong");
      return false;
    }
    if (!add(polygons)) {
      return false;
    }
    if (tests > 0) {
      const which = tests === 1 ? "a test area" : `${tests} test areas`;
      useUi.getState().say(`Ground of ${which} was left out of it.`);
    }
    return true;
  };
  const reshape = (polygons: MultiPolygon) => {
    if (area && picked) {
      change(withAreas({ [picked]: { ...area, polygons } }));
    }
  };
  /** @param holdsCells tells parts that hold a cell of the date from slivers */
  const split = (line: [number, number][], holdsCells: (part: MultiPolygon) => boolean) => {
    const parts = ((area && splitByLine(area.polygons, line)) ?? []).filter(holdsCells);
    if (!area || !picked || parts.length < 2) {
      useUi.getState().say("The line must cross the area from side to side.", "wrong");
      return;
    }
    const [first, ...others] = parts;
    const added = others.map((polygons) => [uuid(), { ...area, polygons }] as const);
    change(withAreas({ [picked]: { ...area, polygons: first! }, ...Object.fromEntries(added) }));
    setDoing(null);
  };
  const remove = () => {
    if (picked) {
      change(withoutAreas([picked]));
      setPicked(null);
      setDoing(null);
    }
  };
  return {
    ...{ isForTest, setIsForTest },
    ...{ label, setActive, setPicked, grow, begin, add, keepGrown, reshape, split, remove },
    picked: area ? picked : null,
    area: area ?? null,
    // An area that is not there any more, on another page perhaps, cannot be changed.
    doing: isOfArea && !area ? null : doing,
  };
}

/** What is being made and picked on the map. */
export type DrawingOnScreen = ReturnType<typeof useDrawing>;
