import { utm } from "@hindglance/core/geodesy/crs";
import { northUp } from "@hindglance/core/grid/grid";
import { polygonise } from "@hindglance/core/patches/polygonise";
import { runsOf } from "@hindglance/core/patches/runs";
import { describeScene, verticalFrom, timeFrom } from "./scene/describe";
import { MemorySource } from "./source";
import { csvLine } from "./tables/csv";
import { featureCollection, patchGeometry } from "./tables/geojson";
import { UTM27S_KEYS, at, buildTiff } from "./testing/buildTiff";
import { openTiff } from "./tiff/readTiff";

test("CSV after RFC 4180, and no formulas", () => {
  expect(csvLine(["a", "b,c", 'say "x"', 1.5, -2, null])).toBe('a,"b,c","say ""x""",1.5,-2,\r\n');
  expect(csvLine(["=1+1", "line\nbreak"])).toBe('\'=1+1,"line\nbreak"\r\n');
});

describe("GeoJSON", () => {
  const shape = polygonise(runsOf(Uint8Array.from([1, 1, 1, 1, 0, 1, 1, 1, 1]), 3, 3), 8)[0]!;
  const area = (r: [number, number][]) =>
    r
      .slice(0, -1)
      .reduce((s, point, i) => s + point[0] * r[i + 1]![1] - r[i + 1]![0] * point[1], 0);
  test.each([
    ["north up", northUp(utm(27, true), 500000, 5170000, 20, 20, 3, 3)],
    [
      "south up",
      {
        crs: utm(27, true),
        transform: [500000, 20, 0, 5170000, 0, 20] as const,
        width: 3,
        height: 3,
      },
    ],
  ])("shells counter-clockwise, holes clockwise: %s", (_n, grid) => {
    const geometry = patchGeometry(shape, grid);
    expect(geometry.type).toBe("Polygon");
    const rings = geometry.coordinates as [number, number][][];
    expect(area(rings[0]!)).toBeGreaterThan(0);
    expect(area(rings[1]!)).toBeLessThan(0);
    expect(rings[0]![0]![0]).toBeGreaterThan(-21.01);
    expect(rings[0]![0]![1]).toBeLessThan(-43);
  });
  test("streams to valid JSON with foreign members", () => {
    const text = [
      ...featureCollection(
        [
          { type: "Feature", properties: { a: 1 }, geometry: null },
          { type: "Feature", properties: {}, geometry: null },
        ],
        { provenance: { made: "x" } },
      ),
    ].join("");
    expect(JSON.parse(text)).toMatchObject({
      type: "FeatureCollection",
      provenance: { made: "x" },
      features: [{ properties: { a: 1 } }, {}],
    });
  });
});

describe("what a file says of itself", () => {
  test("times in names and tags", () => {
    expect(timeFrom("corvane_sigma0_20250502T184110")).toBe("2025-05-02T18:41:10Z");
    expect(timeFrom("VV 2025-05-14")).toBe("2025-05-14T00:00:00Z");
    for (const s of ["image_1234", "2025-13-01", "20250231", "120250502"]) {
      expect(timeFrom(s)).toBeNull();
    }
  });
  const open = (samples: number, xml: string, extra: [number, number, number[] | string][] = []) =>
    openTiff(
      new MemorySource(
        buildTiff({
          width: 3,
          height: 3,
          samples,
          value: () => 1,
          extra: [
            ...UTM27S_KEYS,
            ...at(0, 0, 20),
            ...(xml ? [[42112, 2, xml] as [number, number, string]] : []),
            ...extra,
          ],
        }),
      ),
    );
  const band = (i: number, s: string, unit = "") =>
    `<Item name="D" sample="${i}" role="description">${s}</Item>${unit ? `<Item name="U" sample="${i}" role="unittype">${unit}</Item>` : ""}`;
  test("radar power with two polarisations", async () => {
    const sceneDescription = describeScene(
      await open(2, `<X>${band(0, "sigma0 VV")}${band(1, "sigma0 VH")}</X>`),
      "corvane_20250502T184110.tif",
    );
    expect(sceneDescription).toMatchObject({
      kind: "radar",
      acquiredAt: "2025-05-02T18:41:10Z",
      missing: [],
    });
    expect(sceneDescription.bands.map((b) => [b.role, b.polarisation])).toEqual([
      ["power", "VV"],
      ["power", "VH"],
    ]);
  });
  test("decibels are not taken for power", async () => {
    expect(
      describeScene(await open(1, `<X>${band(0, "sigma0 VV", "dB")}</X>`), "a.tif").bands[0]!.role,
    ).toBe("decibel");
  });
  test("elevation needs no date; a silent file is asked about", async () => {
    expect(describeScene(await open(1, ""), "corvane_elevation.tif")).toMatchObject({
      kind: "elevation",
      missing: ["vertical"],
    });
    const said = describeScene(
      await open(1, '<X><Item name="VERTICAL">EGM96 geoid</Item></X>'),
      "corvane_elevation.tif",
    );
    expect([said.missing, said.bands[0]!.vertical]).toEqual([[], "egm96"]);
    expect([
      verticalFrom(3855, ""),
      verticalFrom(4979, ""),
      verticalFrom(null, "WGS 84 ellipsoid"),
      verticalFrom(null, "mean sea level"),
      verticalFrom(32727, ""),
    ]).toEqual(["egm2008", "ellipsoid", "ellipsoid", null, null]);
    expect(describeScene(await open(1, ""), "picture.tif")).toMatchObject({
      kind: null,
      acquiredAt: null,
      missing: ["kind", "acquiredAt"],
    });
  });
  test("the date tag of the file", async () => {
    expect(
      describeScene(await open(1, "", [[306, 2, "2025:05:14 18:41:00"]]), "vv.tif").acquiredAt,
    ).toBe("2025-05-14T18:41:00Z");
  });
});
