import type { Grid } from "@hindglance/core/grid/grid";
import { RangeDoppler, type SensorModel } from "@hindglance/core/radar/sensor";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import { fromEcef } from "@hindglance/core/geodesy/ecef";
import { AppError } from "../errors";
import { sensorFrame } from "@hindglance/core/grid/frames";

/**
 * Ground around the study area that is kept, for filters, slopes and a shifted orbit; and heights
 * that ground may have, metres.
 */
const MARGIN_CELLS = 150;
const HEIGHTS = [-100, 3000] as const;

export interface Part {
  col: number;
  row: number;
  width: number;
  height: number;
}

/**
 * The part of a product that touches a study area, with a margin; all of it without one. @throws
 * AppError when it touches nothing
 */
export function partOf(
  sensorModel: SensorModel,
  studyArea: MultiPolygon | null,
  name: string,
): { part: Part; leftOut: string | null } {
  if (!studyArea) {
    return {
      part: { col: 0, row: 0, width: sensorModel.samples, height: sensorModel.lines },
      leftOut: null,
    };
  }
  const rd = new RangeDoppler(sensorModel);
  let c0 = Infinity;
  let c1 = -Infinity;
  let r0 = Infinity;
  let r1 = -Infinity;
  for (const polygon of studyArea) {
    for (const [lon, lat] of polygon[0]!) {
      for (const h of HEIGHTS) {
        const position = rd.locateGeodetic(lon, lat, h);
        if (Number.isNaN(position.line)) {
          continue;
        }
        c0 = Math.min(c0, position.sample);
        c1 = Math.max(c1, position.sample);
        r0 = Math.min(r0, position.line);
        r1 = Math.max(r1, position.line);
      }
    }
  }
  const col = Math.max(0, Math.floor(c0) - MARGIN_CELLS);
  const row = Math.max(0, Math.floor(r0) - MARGIN_CELLS);
  const right = Math.min(sensorModel.samples, Math.ceil(c1) + MARGIN_CELLS);
  const bottom = Math.min(sensorModel.lines, Math.ceil(r1) + MARGIN_CELLS);
  if (!(right - col > MARGIN_CELLS) || !(bottom - row > MARGIN_CELLS)) {
    throw new AppError(
      422,
      "outside",
      `${name} does not show the study area`,
      "uploadId",
      "Check the study area, or take another scene.",
    );
  }
  const part = { col, row, width: right - col, height: bottom - row };
  const share = (part.width * part.height) / (sensorModel.samples * sensorModel.lines);
  return {
    part,
    leftOut:
      share > 0.995
        ? null
        : `${Math.round((1 - share) * 100)} % of the scene lies away from the study area and was left out: ${part.width} x ${part.height} of ${sensorModel.samples} x ${sensorModel.lines} cells were kept`,
  };
}

/** The grid of a part of a product in its own frame of lines and samples. */
export const partGrid = (id: string, part: Part): Grid => ({
  crs: sensorFrame(id),
  transform: [part.col, 1, 0, part.row, 0, 1],
  width: part.width,
  height: part.height,
});

/** Outline on the ellipsoid in lon/lat of a part of a product. */
export function partOutline(sensorModel: SensorModel, part: Part): [number, number][] {
  const rd = new RangeDoppler(sensorModel);
  const ring: [number, number][] = [];
  const at = (c: number, r: number) => {
    const [lon, lat] = fromEcef(
      rd.ground(part.row + r * part.height - 0.5, part.col + c * part.width - 0.5, 0),
    );
    ring.push([lon, lat]);
  };
  for (let k = 0; k < 6; k++) {
    at(k / 6, 0);
  }
  for (let k = 0; k < 6; k++) {
    at(1, k / 6);
  }
  for (let k = 0; k < 6; k++) {
    at(1 - k / 6, 1);
  }
  for (let k = 0; k < 6; k++) {
    at(0, 1 - k / 6);
  }
  ring.push(ring[0]!);
  return ring;
}
