import { ontoGrid } from "@hindglance/core/grid/globe";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { type Grid, type Window, fullWindow } from "@hindglance/core/grid/grid";
import { largestCellM } from "@hindglance/core/grid/metres";
import { windowAround } from "@hindglance/core/grid/union";
import type { SceneKind } from "@hindglance/core/scene/kinds";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import type { Client } from "../../db/pool";
import { findStudy } from "../../db/studies";
import { AppError } from "../../errors";

/**
 * Ground around the study area that is kept of a map: for filters and slopes, and for mountains
 * that hide the area from the sensor.
 */
const MARGIN_CELLS = 150;
const ELEVATION_MARGIN_M = 4000;
/** Share of a map from which on all of it is kept. */
const NEARLY_ALL = 0.995;

const marginOf = (kind: SceneKind, grid: Grid): number =>
  kind === "elevation"
    ? Math.max(MARGIN_CELLS, Math.ceil(ELEVATION_MARGIN_M / largestCellM(grid)))
    : MARGIN_CELLS;

/**
 * The part of a map that the study needs, and in words what is left out of it.
 *
 * @throws AppError when the map does not show the study area
 */
export async function keptPart(
  client: Client,
  studyId: string,
  grid: Grid,
  kind: SceneKind,
  name: string,
): Promise<{ window: Window; leftOut: string | null }> {
  const area = (await findStudy(client, studyId))?.studyArea;
  const all = fullWindow(grid);
  if (!area || isSensorFrame(grid.crs)) {
    return { window: all, leftOut: null };
  }
  const onMap = ontoGrid(grid);
  const corners = multiPolygonFrom(area).flatMap(([ring]) => ring!.map(([x, y]) => onMap(x, y)));
  const window = windowAround(grid, corners, marginOf(kind, grid));
  if (!window) {
    throw new AppError(
      422,
      "outside",
      `${name} does not show the study area`,
      "uploadId",
      "Check the study area, or take another file.",
    );
  }
  const share = (window.width * window.height) / (all.width * all.height);
  if (share > NEARLY_ALL) {
    return { window: all, leftOut: null };
  }
  const percent = Math.round((1 - share) * 100);
  return {
    window,
    leftOut: `${percent} % of the file lies away from the study area and was left out: ${window.width} x ${window.height} of ${all.width} x ${all.height} cells were kept`,
  };
}
