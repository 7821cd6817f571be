import { saysEverything } from "@hindglance/contract/upload";
import type { Scene } from "../api/types";
import { choices, filtered, NO_FILTER } from "./filters";
import { byFolder, pathOf } from "./files";

const scene = (id: string, s: Partial<Scene>): Scene => ({
  id,
  studyId: "s",
  kind: "radar",
  name: id,
  acquiredAt: null,
  fileName: "",
  fileSize: 0,
  fileSha256: "",
  detail: {},
  imageId: "i",
  runId: null,
  createdAt: "2025-05-14T00:00:00Z",
  info: null,
  levels: null,
  statistics: null,
  histograms: null,
  looks: null,
  footprint: null,
  ...s,
});
const all = [
  scene("a", {
    acquiredAt: "2025-05-02T18:41:10Z",
    detail: { pass: "descending", mode: "IW", polarisations: ["VV", "VH"] },
  }),
  scene("b", {
    acquiredAt: "2025-05-03T06:12:44Z",
    detail: { pass: "ascending", mode: "IW", polarisations: ["VV"] },
  }),
  scene("c", { acquiredAt: "2025-05-14T00:00:00Z", detail: { items: { PASS: "descending" } } }),
  scene("z", { kind: "elevation" }),
];
const ids = (found: Partial<typeof NO_FILTER>) =>
  filtered(all, { ...NO_FILTER, ...found })
    .map((s) => s.id)
    .join("");

describe("filters of scenes", () => {
  test("each narrows by what the scene says; silence does not pass", () => {
    expect([
      ids({}),
      ids({ kind: "elevation" }),
      ids({ pass: "descending" }),
      ids({ polarisation: "VH" }),
      ids({ mode: "IW" }),
    ]).toEqual(["abcz", "z", "ac", "a", "ab"]);
    expect([
      ids({ from: "2025-05-03" }),
      ids({ to: "2025-05-03" }),
      ids({ from: "2025-05-03", to: "2025-05-03" }),
    ]).toEqual(["bc", "ab", "b"]);
  });
  test("only what tells scenes apart can be asked", () => {
    expect(choices(all)).toEqual({
      kind: ["elevation", "radar"],
      pass: ["ascending", "descending"],
      polarisation: ["VH", "VV"],
      mode: ["IW"],
    });
    expect(choices(all.slice(0, 1))).toEqual({
      kind: [],
      pass: [],
      polarisation: ["VH", "VV"],
      mode: [],
    });
  });
});

describe("files that are dropped", () => {
  const file = (path: string) =>
    Object.assign(new File(["x"], path.split("/").pop()!), { path: `./${path}` });
  test("a product folder goes as one, the rest one by one", () => {
    const found = byFolder(["P.SAFE/manifest.safe", "P.SAFE/annotation/a.xml", "x.tif"].map(file));
    expect([...found.keys()]).toEqual(["P.SAFE/", ""]);
    expect(found.get("P.SAFE/")!.map(pathOf)).toEqual([
      "P.SAFE/manifest.safe",
      "P.SAFE/annotation/a.xml",
    ]);
  });
  test("products and orbit files ask nothing", () => {
    for (const form of ["product", "orbit"] as const) {
      expect(saysEverything({ form, missing: [], bands: [] })).toBe(true);
    }
  });
});
