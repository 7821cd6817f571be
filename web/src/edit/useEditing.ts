import { useMemo, useState } from "react";
import type OlMap from "ol/Map";
import type BaseLayer from "ol/layer/Base";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import { useSearchParams } from "react-router";
import type { PointTransform } from "@hindglance/core/geodesy/crs";
import { type Grid, cellSize, toCell } from "@hindglance/core/grid/grid";
import type { MultiPolygon, Position } from "@hindglance/core/vector/polygons";
import type { EditedOutline } from "@hindglance/contract/edits";
import type { ChangeMap } from "../api/types";
import { grownLayer } from "../classify/trainingLayer";
import { useSame } from "../lib/useSame";
import { type Drawing, useDrawLine, useDrawOnMap, useEscape } from "../map/useDraw";
import { useReshape } from "../map/useReshape";
import { inCells, onMap } from "./cells";
import { useEditedOutlines } from "./useEditedOutlines";
import { type Manner, type What, useEdits, useWholePatch } from "./useEdits";
import { useGrowth } from "./useGrowth";

/** What the pointer does on the map: it draws or grows a patch, or changes the one that is picked. */
export type Doing = Drawing | "grow" | "reshape" | "cut";

const isDrawing = (doing: Doing | null): doing is Drawing =>
  doing === "polygon" || doing === "rectangle" || doing === "freehand";

/** The patch that an address asks for; null where it asks for none. */
function askedIn(search: URLSearchParams): number | null {
  const asked = Number(search.get("patch"));
  return Number.isInteger(asked) && asked > 0 ? asked : null;
}

/** Which patches are picked, and the whole outline where it is one. */
function usePicked(map: ChangeMap) {
  const [search] = useSearchParams();
  const asked = askedIn(search);
  const [picked, setPicked] = useState<number[]>(asked === null ? [] : [asked]);
  const only = picked.length === 1 ? picked[0]! : null;
  const { whole: found, isGone } = useWholePatch(map, only);
  const isHeir = found !== undefined && only !== null && found.number !== only;
  if (isHeir) {
    // What came of a patch that was edited since is picked in its place.
    setPicked([found.number]);
  }
  return { asked, picked, setPicked, only, isGone, whole: found && !isHeir ? found : null };
}

/** Whether something is done to the patch that is picked. */
const isOfPatch = (doing: Doing | null): boolean => doing === "reshape" || doing === "cut";

/** What is picked and done on the map of edits, and how outlines are kept. */
export function useEditing(map: ChangeMap) {
  const { asked, picked, setPicked, only, isGone, whole } = usePicked(map);
  const [doing, setDoing] = useState<Doing | null>(null);
  const [label, setLabel] = useState(map.info.classes?.[0]?.label ?? 1);
  const [manner, setManner] = useState<Manner>({ isSnapped: true, isTaking: false });
  const [olMap, setOlMap] = useState<OlMap | null>(null);
  /** Grows where the server refuses a shape, so that it is drawn as it was. */
  const [refused, setRefused] = useState(0);
  const growth = useGrowth(map);
  const grid = useSame(map.info.grid);
  const edits = useEdits(
    map,
    (made) => {
      setPicked(made);
      if (made.length !== 1) {
        setDoing((was) => (isOfPatch(was) ? null : was));
      }
    },
    () => setRefused((count) => count + 1),
  );
  const now = isOfPatch(doing) && only === null ? null : doing;
  const outlines = useEditedOutlines(map, olMap, picked, now === "reshape" ? only : null);
  const clicks = useClicks(edits.isSaving || outlines.isOld, ({ at, isMore }) => {
    const patch = outlines.at(at);
    setPicked((old) => pickedAfter(old, patch, isMore));
  });
  const begin = (next: Doing | null) => {
    growth.discard();
    setDoing(next);
  };
  const act = (what: What) => edits.act(what, manner);
  /** Draws what has an outline as a patch of the class. */
  const add = (polygons: What["polygons"]) => act({ kind: "draw", label, polygons });
  usePointer(olMap, grid, now, {
    stop: () => begin(null),
    onDrawn: (ring) => add([ring]),
    onLine: (line) => {
      if (only !== null && act({ kind: "cut", number: only, line })) {
        setDoing(null);
      }
    },
  });
  useReshaped(olMap, grid, {
    ...{ whole, isOn: now === "reshape", isHeld: edits.isSaving, refused },
    onChanged: (polygons) => {
      if (only !== null) {
        act({ kind: "reshape", number: only, polygons });
      }
    },
  });
  const grown = useGrownLayer(map, growth.area, label);
  return {
    ...{ asked, edits, growth, outlines, act, begin, add, olMap, setOlMap, whole, isGone },
    ...{ label, setLabel, manner, setManner, doing: now, picked, setPicked },
    layers: useMemo(() => [...outlines.layers, ...grown], [outlines.layers, grown]),
    /** Whether it is not known yet what is picked, or what comes of what was picked. */
    isHeld: edits.isSaving || clicks.isWaiting,
    /** Picks the patch under a place, or grows from it. */
    onClick: (at: Position, isMore: boolean) => {
      if (now === "grow") {
        growth.from(at);
      } else if (now === null) {
        clicks.take({ at, isMore });
      }
    },
  };
}

interface Pointer {
  stop(): void;
  /** Rings and lines are in cells. */
  onDrawn(rings: Position[][]): void;
  onLine(line: Position[]): void;
}

/** What is drawn on the map by the pointer. */
function usePointer(olMap: OlMap | null, grid: Grid, doing: Doing | null, pointer: Pointer): void {
  const { stop, onDrawn, onLine } = pointer;
  const drawing = isDrawing(doing) ? doing : false;
  useDrawOnMap(olMap, drawing, (rings) => onDrawn(inCells([rings], grid)[0]!), stop);
  useEscape(doing !== null && !drawing, stop);
  useDrawLine(olMap, doing === "cut", (line) => onLine(line.map(([x, y]) => toCell(grid, x, y))));
}

/** A click on the map; with Shift it picks one more. */
interface Click {
  at: Position;
  isMore: boolean;
}

/**
 * Clicks that pick patches: each waits until the outlines on the map are those that there are, so that it
 * never picks one that is gone.
 */
export function useClicks(isOld: boolean, onClick: (click: Click) => void) {
  const [waiting, setWaiting] = useState<readonly Click[]>([]);
  if (!isOld && waiting.length > 0) {
    setWaiting([]);
    waiting.forEach(onClick);
  }
  return {
    isWaiting: waiting.length > 0,
    take: (click: Click) => setWaiting((all) => [...all, click]),
  };
}

/** Patches that are picked after a click on one, or beside all. */
export function pickedAfter(
  old: readonly number[],
  clicked: number | null,
  isMore: boolean,
): number[] {
  if (clicked === null) {
    return isMore ? [...old] : [];
  }
  if (!isMore) {
    return [clicked];
  }
  return old.includes(clicked) ? old.filter((number) => number !== clicked) : [...old, clicked];
}

interface Reshaped {
  /** The patch that is picked, with its whole outline. */
  whole: EditedOutline | null;
  isOn: boolean;
  /** Whether a change is on its way. */
  isHeld: boolean;
  /** How often the server refused a shape: it is drawn as it was then. */
  refused: number;
  /** @param polygons in cells */
  onChanged(polygons: MultiPolygon): void;
}

/** The picked patch, dragged on the map: it stays as it was dragged until what was made of it comes back. */
function useReshaped(olMap: OlMap | null, grid: Grid, reshaped: Reshaped): void {
  const { whole, isOn, isHeld, refused, onChanged } = reshaped;
  const shown = useLast(whole, isOn);
  const polygons = useMemo(
    () => (shown && refused >= 0 ? onMap(shown.polygons, grid) : null),
    [shown, grid, refused],
  );
  useReshape(olMap, {
    ...{ polygons, step: cellSize(grid)[0], isHeld },
    onChanged: (shape) => onChanged(inCells(shape, grid)),
  });
}

/** The last value that was known while something is on; null while it is not. */
function useLast<T>(value: T | null, isOn: boolean): T | null {
  const [last, setLast] = useState<T | null>(null);
  const now = isOn ? (value ?? last) : null;
  if (now !== last) {
    setLast(now);
  }
  return now;
}

const asItIs: PointTransform = (x, y) => [x, y];

/** Ground that grows, in the colour of the class that it would have. */
function useGrownLayer(
  map: ChangeMap,
  area: ReturnType<typeof useGrowth>["area"],
  label: number,
): BaseLayer[] {
  const { grid, classes } = map.info;
  const color = classes?.find((one) => one.label === label)?.color ?? "#ffffff";
  return useMemo(() => {
    if (!area) {
      return [];
    }
    const layer = grownLayer(onMap(area.polygons, grid), color, { crs: grid.crs, onto: asItIs });
    // Outlines along cells are long: wider lines would hide what lies within.
    layer.setStyle(
      new Style({
        fill: new Fill({ color: `${color}a0` }),
        stroke: new Stroke({ color: "#ffffff", width: 0.8 }),
      }),
    );
    return [layer];
  }, [area, grid, color]);
}

/** What is picked and done on the map of edits. */
export type Editing = ReturnType<typeof useEditing>;
