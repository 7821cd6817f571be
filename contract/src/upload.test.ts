import type { BandInfo } from "@hindglance/core/graph/image";
import { type FoundLayer, type UploadDetail, saysEverything } from "./upload";

const band = (polarisation?: string): BandInfo => ({
  name: "sigma0",
  unit: "",
  role: "power",
  ...(polarisation ? { polarisation } : {}),
});

/** A file with layers of five named polygons, and what is else with them. */
const vectors = (...layers: Partial<FoundLayer>[]): UploadDetail => ({
  form: "vectors",
  layers: layers.map((more) => ({
    ...{ name: "zones", features: 5, points: 0, lines: 0, polygons: 5 },
    ...{ nameFields: ["name"], nameField: "name", system: "WGS 84", noSystem: null },
    ...{ faults: [], faulty: 0, withHeights: 0, refused: null, taken: false },
    ...more,
  })),
});

test.each<[string, UploadDetail, boolean]>([
  ["a product", { form: "product" }, true],
  ["an orbit file", { form: "orbit" }, true],
  ["bands of one cell size", { form: "stack", missing: [] }, true],
  ["bands of several cell sizes", { form: "stack", missing: ["cellM"] }, false],
  ["zones with a name", vectors({}), true],
  ["zones without a name", vectors({ nameField: null }), false],
  ["a single polygon, which may be the study area", vectors({ features: 1, polygons: 1 }), false],
  ["polygons and a line among them", vectors({ polygons: 4, lines: 1 }), false],
  ["polygons whose system is not said", vectors({ noSystem: "not said" }), false],
  ["polygons with a fault", vectors({ faulty: 1, faults: ["Feature 1 crosses itself"] }), false],
  ["polygons that cannot be used", vectors({ refused: "Feature 1 lies nowhere" }), false],
  ["polygons of two layers", vectors({}, {}), false],
  ["elevation", { form: "raster", kind: "elevation", missing: [], bands: [band()] }, true],
  ["a raster that lacks its date", { form: "raster", kind: "radar", missing: ["date"] }, false],
  ["radar with its polarisation", { form: "raster", kind: "radar", bands: [band("VV")] }, true],
  ["radar without", { form: "raster", kind: "radar", bands: [band("VV"), band()] }, false],
])("%s", (_what, detail, says) => {
  expect(saysEverything(detail)).toBe(says);
});
