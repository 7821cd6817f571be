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
  /** Groups of files by what they go with, as paths. */
  const groupsOf = (...paths: string[]) =>
    Object.fromEntries(
      [...byFolder(paths.map(file))].map(([key, list]) => [key, list.map(pathOf)] as const),
    );
  test("an image goes with its world file, its coordinate system or its mask", () => {
    expect(
      groupsOf(
        "a.png",
        "a.pgw",
        "a.prj",
        "m.TIF",
        "m.TIF.msk",
        "s.tif",
        "s.prj",
        "b.tif",
        "lone.msk",
      ),
    ).toEqual({
      "a.png": ["a.png", "a.pgw", "a.prj"],
      "m.TIF": ["m.TIF", "m.TIF.msk"],
      "s.tif": ["s.tif", "s.prj"],
      "": ["b.tif", "lone.msk"],
    });
  });
  test("parts of a Shapefile go together, whatever lies beside them", () => {
    expect(
      groupsOf(
        "d/z.shp",
        "d/z.shx",
        "d/z.dbf",
        "d/z.prj",
        "d/z.cpg",
        "d/z.qix",
        "d/z.shp.xml",
        "y.dbf",
      ),
    ).toEqual({ "d/z": ["d/z.shp", "d/z.shx", "d/z.dbf", "d/z.prj", "d/z.cpg"], "": ["y.dbf"] });
  });
  test("what describes an image goes with the very one that it names", () => {
    expect(
      groupsOf("a.tif", "a.tif.aux.xml", "a.png", "a.pgw", "a.png.aux.xml", "q_RPC.TXT", "q.tif"),
    ).toEqual({
      "a.tif": ["a.tif", "a.tif.aux.xml"],
      "a.png": ["a.png", "a.pgw", "a.png.aux.xml"],
      "q.tif": ["q_RPC.TXT", "q.tif"],
    });
    expect(groupsOf("a.tif", "a.RPB", "b.png", "b.tif.aux.xml")).toEqual({
      "a.tif": ["a.tif", "a.RPB"],
      "": ["b.png", "b.tif.aux.xml"],
    });
  });
  test("overviews beside an image stay away; without it they are sent and told", () => {
    expect(groupsOf("b.tif", "b.tif.ovr", "c.tif.ovr")).toEqual({ "": ["b.tif", "c.tif.ovr"] });
  });
  test("bands go with one metadata text, and without other texts", () => {
    expect(groupsOf("S_B2.TIF", "S_MTL.xml", "S_MTL.txt", "S_ANG.txt", "T_B2.TIF")).toEqual({
      S: ["S_B2.TIF", "S_MTL.txt"],
      "": ["T_B2.TIF"],
    });
  });
  test("products and orbit files ask nothing", () => {
    for (const form of ["product", "orbit"] as const) {
      expect(saysEverything({ form, missing: [], bands: [] })).toBe(true);
    }
  });
});
