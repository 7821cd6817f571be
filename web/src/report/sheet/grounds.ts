import type { DrawnSheet } from "@hindglance/contract/sheet";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { withView } from "@hindglance/core/sheet/arrange";
import {
  FRAME_NAMES,
  type FrameKind,
  type MapKind,
  PAPERS,
  type Sheet,
  type SheetView,
  isMapKind,
} from "@hindglance/core/sheet/layout";
import { middleOf } from "@hindglance/core/sheet/scale";

/** Finest and coarsest scale that a map can be asked for in. */
export const SCALES = { finest: 100, coarsest: 50_000_000 } as const;

/** The ground of the map that is picked, and what can be done with it. */
export interface Grounds {
  /** Null where no map is picked. */
  map: { kind: MapKind; name: string; scale: number; isPicked: boolean } | null;
  isMoving: boolean;
  setMoving(isMoving: boolean): void;
  setScale(scale: number): void;
  reset(): void;
}

type DrawnMap = DrawnSheet["pages"][number]["maps"][number];

/** The map of a kind as it is drawn. */
export const drawnMap = (drawn: DrawnSheet | undefined, kind: FrameKind | null) =>
  drawn?.pages.flatMap(({ maps }) => maps).find((map) => map.kind === kind) ?? null;

/** Ground of a scale around a place. */
function viewAt(
  { kind, placed }: DrawnMap,
  [longitude, latitude]: readonly [number, number],
  scale: number,
  { layout }: Sheet,
): SheetView {
  const printed = (placed.box.width * PAPERS[layout.paper][0]) / PAPERS.A4[0];
  return { kind, longitude, latitude, acrossM: (printed / 1000) * scale };
}

/** A sheet on which a map has another scale. */
export const scaled = (sheet: Sheet, map: DrawnMap, scale: number): Sheet =>
  withView(sheet, map.kind, viewAt(map, map.middle, scale, sheet));

/** A sheet on which the ground of a map was pulled by millimetres of the page. */
export function pulled(
  sheet: Sheet,
  map: DrawnMap,
  crs: DrawnSheet["crs"],
  [right, down]: readonly [number, number],
): Sheet {
  const { ground, perMm } = map.placed;
  const [x, y] = middleOf(ground);
  const middle = transformer(crs, LONLAT)(x - right * perMm, y + down * perMm);
  return withView(sheet, map.kind, viewAt(map, middle, map.scale, sheet));
}

/** What is said of the map of a frame that is picked; null where it is none. */
export function pickedMap(
  drawn: DrawnSheet | undefined,
  { views }: Sheet,
  picked: FrameKind | null,
): Grounds["map"] {
  const map = drawnMap(drawn, picked);
  if (!map || picked === null || !isMapKind(picked)) {
    return null;
  }
  return {
    ...{ kind: picked, name: FRAME_NAMES[picked], scale: map.scale },
    isPicked: views.some(({ kind }) => kind === picked),
  };
}
