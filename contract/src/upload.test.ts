import type { BandInfo } from "@hindglance/core/graph/image";
import { type UploadDetail, saysEverything } from "./upload";

const band = (polarisation?: string): BandInfo => ({
  name: "sigma0",
  unit: "",
  role: "power",
  ...(polarisation ? { polarisation } : {}),
});

test.each<[string, UploadDetail, boolean]>([
  ["a product", { form: "product" }, true],
  ["an orbit file", { form: "orbit" }, true],
  ["bands of one cell size", { form: "stack", missing: [] }, true],
  ["bands of several cell sizes", { form: "stack", missing: ["cellM"] }, false],
  ["zones with a name", { form: "zones", nameField: "name", zones: 5 }, true],
  ["zones without a name", { form: "zones", nameField: null, zones: 5 }, false],
  [
    "a single polygon, which may be the study area",
    { form: "zones", nameField: "n", zones: 1 },
    false,
  ],
  ["elevation", { form: "raster", kind: "elevation", missing: [], bands: [band()] }, true],
  ["a raster that lacks its date", { form: "raster", kind: "radar", missing: ["date"] }, false],
  ["radar with its polarisation", { form: "raster", kind: "radar", bands: [band("VV")] }, true],
  ["radar without", { form: "raster", kind: "radar", bands: [band("VV"), band()] }, false],
])("%s", (_what, detail, says) => {
  expect(saysEverything(detail)).toBe(says);
});
