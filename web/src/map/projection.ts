import proj4 from "proj4";
import { addProjection, get as getProjection, Projection } from "ol/proj";
import { register } from "ol/proj/proj4";

import type { Crs } from "@hindglance/core/geodesy/crs";
import { isSensorFrame } from "@hindglance/core/grid/frames";

const known = new Map<string, string>();

/**
 * The map library's projection for a coordinate system, made from its definition the first time.
 */
export function projectionOf(crs: Crs): Projection {
  let code = known.get(crs.proj4);
  if (!code) {
    // A code stands for the definition that came first; another shift of it has a name of its own.
    const isFirst = /^EPSG:\d+$/.test(crs.code) && ![...known.values()].includes(crs.code);
    code = isFirst ? crs.code : `own:${known.size + 1}`;
    if (isSensorFrame(crs)) {
      addProjection(new Projection({ code, units: "pixels", extent: [-1e6, -1e6, 1e6, 1e6] }));
    } else if (!getProjection(code)) {
      proj4.defs(code, crs.proj4);
      register(proj4);
    }
    known.set(crs.proj4, code);
  }
  return getProjection(code)!;
}
