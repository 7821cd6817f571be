import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { rowsOf } from "@hindglance/core/vector/features";
import { square } from "../testing/square";
import type { VectorLayer } from "./layer";
import { onGlobe } from "./onGlobe";
import { openVectors } from "./openVectors";

const hasConverter = (() => {
  try {
    execFileSync("ogr2ogr", ["--version"], { stdio: "ignore" });
    return true;
  } catch {
    return false;
  }
})();

/** Files as another program writes them, where it is there. */
(hasConverter ? describe : describe.skip)("as another program writes them", () => {
  let folder = "";
  beforeAll(() => {
    folder = mkdtempSync(join(tmpdir(), "vectors-"));
  });
  afterAll(() => rmSync(folder, { recursive: true }));

  const SOURCE = {
    type: "FeatureCollection",
    features: [
      {
        type: "Feature",
        properties: { name: "Löwfen", code: 7 },
        geometry: {
          type: "Polygon",
          coordinates: [square(-21.1, -43.5, 0.1), square(-21.08, -43.48, 0.03)],
        },
      },
      {
        type: "Feature",
        properties: { name: "Tolm", code: 8 },
        geometry: {
          type: "MultiPolygon",
          coordinates: [[square(-20.9, -43.5, 0.1)], [square(-20.7, -43.5, 0.1)]],
        },
      },
    ],
  };
  /** All numbers of all places in order of size: readers may begin a ring elsewhere. */
  const numbersOf = (layer: Pick<VectorLayer, "features">): number[] =>
    layer.features.flatMap(({ geometry }) => rowsOf(geometry).flat(2)).sort((a, b) => a - b);

  test.each<[string, string[], string | null]>([
    [
      "zones.shp",
      [
        "-f",
        "ESRI Shapefile",
        "-t_srs",
        "EPSG:32727",
        "-nlt",
        "MULTIPOLYGON",
        "-lco",
        "ENCODING=ISO-8859-1",
      ],
      "EPSG:32727",
    ],
    ["zones.gpkg", ["-f", "GPKG", "-t_srs", "EPSG:3031"], "EPSG:3031"],
    [
      "zones.fgb",
      ["-f", "FlatGeobuf", "-t_srs", "EPSG:27700", "-nlt", "MULTIPOLYGON"],
      "EPSG:27700",
    ],
    ["zones.kml", ["-f", "KML"], "EPSG:4326"],
    ["zones.csv", ["-f", "CSV", "-lco", "GEOMETRY=AS_WKT"], null],
    ["zones.json", ["-f", "GeoJSON", "-t_srs", "EPSG:3857", "-lco", "RFC7946=NO"], "EPSG:3857"],
  ])("%s has every place and name", async (name, how, code) => {
    const source = join(folder, "source.geojson");
    writeFileSync(source, JSON.stringify(SOURCE));
    execFileSync("ogr2ogr", [...how, join(folder, name), source], { stdio: "ignore" });
    const stem = name.replace(/\.\w+$/, ".");
    const files = readdirSync(folder)
      .filter((file) =>
        name.endsWith(".shp")
          ? file.startsWith(stem) && /\.(shp|dbf|prj|cpg)$/.test(file)
          : file === name,
      )
      .map((file) => ({ name: file, bytes: new Uint8Array(readFileSync(join(folder, file))) }));
    const [layer] = await openVectors(files);
    const found = await onGlobe(layer!, code === null ? 4326 : undefined);
    if (code) {
      expect(found.crs.code).toBe(code);
    }
    expect(found.features.map(({ properties }) => properties.name).sort()).toEqual([
      "Löwfen",
      "Tolm",
    ]);
    const wanted = numbersOf(
      (
        await openVectors([{ name: "source.geojson", bytes: new Uint8Array(readFileSync(source)) }])
      )[0]!,
    );
    const numbers = numbersOf(found);
    expect(numbers).toHaveLength(wanted.length);
    // A few centimetres, but for the shift of a system that is not known better without a grid.
    const near = code === "EPSG:27700" ? 1e-4 : 3e-7;
    numbers.forEach((value, k) => expect(Math.abs(value - wanted[k]!)).toBeLessThan(near));
    expect(found.faults).toEqual([]);
  });
});
