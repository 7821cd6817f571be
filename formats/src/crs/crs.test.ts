import { execFileSync } from "node:child_process";
import { existsSync } from "node:fs";
import { type Crs, LONLAT, isGeographic, transformer } from "@hindglance/core/geodesy/crs";
import { FormatError } from "../errors";
import { metresApart } from "../testing/metresApart";
import { crsAt, crsOfEpsg } from "./epsg";
import { crsOfGeoKeys } from "./geoKeys";
import { crsOfWkt } from "./match";
import { requirePlaced } from "./place";
import { allSystems, crsOn, findSystem, shareWithin, shiftFor } from "./systems";
import check from "./tables/check.json";

/** A place in a system as longitude and latitude. */
const placeIn = (crs: Crs, x: number, y: number) => transformer(crs, LONLAT)(x, y);

describe("places in a coordinate system", () => {
  test("are where other computations have them", async () => {
    // The origin of a double stereographic projection, by the national survey's own procedure.
    const origin = placeIn(await crsOfEpsg(28992), 155_000, 463_000);
    expect(metresApart(origin, [5.38720621, 52.1551744])).toBeLessThan(1);
    // A worked example of a transverse Mercator with a shift of 100 m, in the survey's guide, which
    // goes through a grid: the similarity is stated to be good to 2 m, and is 3.6 m off there.
    const tower = placeIn(await crsOfEpsg(27700), 651_409.903, 313_177.27);
    expect(
      metresApart(tower, [1 + 42 / 60 + 57.8663 / 3600, 52 + 39 / 60 + 28.8282 / 3600]),
    ).toBeLessThan(4);
  });

  test("are within the stated accuracy of what the registry's own program finds, for every code", async () => {
    const wrong: string[] = [];
    let places = 0;
    for (const [code, rows] of Object.entries(check)) {
      const system = (await findSystem(code))!;
      for (const [x, y, lon, lat] of rows) {
        const crs = crsAt(system, [[x, y]]);
        const away = metresApart(placeIn(crs, x, y), [lon, lat]);
        places++;
        // Where the registry states nothing, the shift between two datums is at most this.
        if (!(away <= (crs.accuracy === null ? 1500 : (crs.accuracy ?? 0)) + 0.02)) {
          wrong.push(`${code} ${system.name}: ${away.toFixed(2)} m, states ${crs.accuracy}`);
        }
      }
    }
    expect(wrong).toEqual([]);
    expect(places).toBeGreaterThan(15_000);
  });

  test("have a way back", async () => {
    const wrong: string[] = [];
    for (const [code, [row]] of Object.entries(check)) {
      if (!row) {
        continue;
      }
      const crs = crsAt((await findSystem(code))!, [[row[0], row[1]]]);
      const there = placeIn(crs, row[0], row[1]);
      const [x, y] = transformer(LONLAT, crs)(...there);
      const unit = isGeographic(crs) ? 111_195 : 1;
      const away = Math.hypot(x - row[0], y - row[1]) * unit;
      if (!(away < 0.5)) {
        wrong.push(`${code}: ${away} m`);
      }
    }
    expect(wrong).toEqual([]);
  });
});

describe("the shift that is taken", () => {
  test("is the most accurate of those for the ground", async () => {
    const system = (await findSystem("EPSG:4267"))!;
    const all = system.datum!.shifts;
    const inside = (lon: number, lat: number) => shiftFor(all, [lon, lat, lon, lat])!;
    const [far, near] = [inside(-150, 65), inside(-115, 40)];
    expect(far.parameters).not.toEqual(near.parameters);
    for (const { area } of [far]) {
      expect(shareWithin([-150, 65, -150, 65], area)).toBe(1);
    }
    const better = all.filter(
      ({ area, accuracy }) =>
        shareWithin([-115, 40, -115, 40], area) === 1 && accuracy! < near.accuracy!,
    );
    expect(better).toEqual([]);
  });

  test("is null where none is good for the ground, and the system says that it does not know", () => {
    const shifts = [
      { accuracy: 3, area: [0, 0, 10, 10] as const, parameters: [1, 2, 3, 0, 0, 0, 0] },
    ];
    expect(shiftFor(shifts, [20, 20, 21, 21])).toBeNull();
    const datum = { code: "EPSG:4001", names: ["Unknown"], datumCode: null, shifts };
    const system = {
      ...{ code: "EPSG:1", name: "one", projection: "+proj=longlat +a=6377000 +rf=300", datum },
      area: [20, 20, 21, 21] as const,
    };
    expect(crsOn(system)).toMatchObject({ accuracy: null });
    expect(crsOn(system, [1, 1, 2, 2]).proj4).toContain("+towgs84=1,2,3");
  });

  test("knows areas over the date line", () => {
    expect(shareWithin([179, 0, -179, 10], [170, -10, -170, 20])).toBe(1);
    expect(shareWithin([179, 0, -179, 10], [170, -10, 180, 20])).toBeCloseTo(0.5);
    expect(shareWithin([10, 0, 10, 0], [170, -10, -170, 20])).toBe(0);
  });
});

const UTM_27S =
  'PROJCS["WGS_1984_UTM_Zone_27S",GEOGCS["GCS_WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137,298.257223563]],PRIMEM["Greenwich",0],UNIT["Degree",0.017453292519943295]],PROJECTION["Transverse_Mercator"],PARAMETER["False_Easting",500000],PARAMETER["False_Northing",10000000],PARAMETER["Central_Meridian",-21],PARAMETER["Scale_Factor",0.9996],PARAMETER["Latitude_Of_Origin",0],UNIT["Meter",1]]';

describe("well-known text", () => {
  test("is matched to its code by what it computes, not by what it is called", async () => {
    expect(await crsOfWkt(UTM_27S)).toMatchObject({ code: "EPSG:32727" });
    const renamed = UTM_27S.replace("WGS_1984_UTM_Zone_27S", "Our grid");
    expect(await crsOfWkt(renamed)).toMatchObject({ code: "EPSG:32727" });
    const moved = await crsOfWkt(UTM_27S.replace("500000", "600000"));
    expect(moved).toMatchObject({ code: "own: WGS_1984_UTM_Zone_27S" });
    const [lon] = placeIn(moved, 600_000, 9_000_000);
    expect(lon).toBeCloseTo(-21, 9);
  });

  test("that lies about its code is taken by its parameters", async () => {
    const lying = UTM_27S.replace(/\]$/, ',AUTHORITY["EPSG","32733"]]');
    expect(await crsOfWkt(lying)).toMatchObject({ code: "EPSG:32727" });
  });

  test.each([
    ["garbled", 'PROJCS["a",', /broken off/],
    ["without a place on the Earth", 'LOCAL_CS["site",UNIT["metre",1]]', /not tied to the Earth/],
    [
      "of a method that is not known",
      UTM_27S.replace("Transverse_Mercator", "Wagner_IX"),
      /Wagner_IX, is not known/,
    ],
    ["without parameters", UTM_27S.replace(/PARAMETER\[[^\]]*\],/g, ""), /no parameters/],
    [
      "on a datum that is not known",
      UTM_27S.replaceAll("WGS_1984", "Moon_2000"),
      /datum .* not known/,
    ],
    [
      "in grads",
      'GEOGCS["a",DATUM["WGS_1984",SPHEROID["a",6378137,298.257]],UNIT["grad",0.0157079632679]]',
      /not in degrees/,
    ],
  ])("%s is refused in words", async (_what, text, words) => {
    await expect(crsOfWkt(text)).rejects.toThrow(words);
  });

  test("brings its own shift where its datum is not known", async () => {
    const own = UTM_27S.replaceAll("WGS_1984", "Isle_2011").replace(
      "]],PRIMEM",
      "],TOWGS84[100,-50,20,0,0,0,0]],PRIMEM",
    );
    const crs = await crsOfWkt(own);
    expect(crs).toMatchObject({ code: "own: Isle_2011_UTM_Zone_27S", accuracy: null });
    expect(crs.proj4).toContain("+towgs84=100,-50,20,0,0,0,0");
  });
});

/** Which sixtieth of all systems is tried. */
const SAMPLE = Number(process.env.SAMPLE ?? 7);
const projinfo = "/usr/bin/projinfo";
const whereInstalled = existsSync(projinfo) ? test : test.skip;

whereInstalled(
  "texts of all dialects come to the system that they were written from",
  async () => {
    const systems = await allSystems();
    const wrong: string[] = [];
    for (const system of systems.filter((_system, k) => k % 60 === SAMPLE)) {
      for (const dialect of ["WKT1:GDAL", "WKT1:ESRI", "WKT2:2019", "WKT2:2015"]) {
        const [row] = check[system.code] ?? [];
        const text = textOf(system.code, dialect);
        if (!row || !text) {
          continue;
        }
        const [x, y, lon, lat] = row;
        try {
          const crs = await crsOfWkt(text, [[x, y]]);
          const away = metresApart(placeIn(crs, x, y), [lon, lat]);
          if (!(away <= (crs.accuracy ?? 0) + 0.02) || !/^(EPSG|ESRI):/.test(crs.code)) {
            wrong.push(`${system.code} ${dialect}: ${crs.code}, ${away.toFixed(2)} m`);
          }
        } catch (error) {
          wrong.push(`${system.code} ${dialect}: ${String(error)}`);
        }
      }
    }
    expect(wrong).toEqual([]);
  },
  300_000,
);

/** The text of a system in a dialect, as proj-bin writes it; null where it has none. */
function textOf(code: string, dialect: string): string | null {
  const args = [code, "-o", dialect, "--single-line", "-q"];
  const stdio: ["ignore", "pipe", "ignore"] = ["ignore", "pipe", "ignore"];
  try {
    return execFileSync(projinfo, args, { encoding: "utf8", stdio }).trim() || null;
  } catch {
    return null;
  }
}

/** Keys of a system of the file's own: user-defined, in metres. */
const OWN = {
  GTModelTypeGeoKey: 1,
  ProjectedCSTypeGeoKey: 32767,
  ProjectionGeoKey: 32767,
  ProjLinearUnitsGeoKey: 9001,
};

describe("keys of a GeoTIFF", () => {
  test("that spell out a system of the registry come to its code", async () => {
    const stereographic = {
      ...OWN,
      GeographicTypeGeoKey: 4289,
      ProjCoordTransGeoKey: 16,
      ProjNatOriginLongGeoKey: 5.38763888888889,
      ProjNatOriginLatGeoKey: 52.1561605555556,
      ProjScaleAtNatOriginGeoKey: 0.9999079,
      ProjFalseEastingGeoKey: 155_000,
      ProjFalseNorthingGeoKey: 463_000,
    };
    expect(await crsOfGeoKeys(stereographic, [])).toMatchObject({ code: "EPSG:28992" });
    const polar = {
      ...OWN,
      GeographicTypeGeoKey: 4326,
      ProjCoordTransGeoKey: 15,
      ProjNatOriginLatGeoKey: 70,
      ProjStraightVertPoleLongGeoKey: -45,
      ProjScaleAtNatOriginGeoKey: 1,
    };
    expect(await crsOfGeoKeys(polar, [])).toMatchObject({ code: "EPSG:3413" });
    const zone = { ...OWN, GeographicTypeGeoKey: 4326, ProjectionGeoKey: 16133 };
    expect(await crsOfGeoKeys(zone, [])).toMatchObject({ code: "EPSG:32733" });
  });

  test("in feet place cells where feet lie", async () => {
    const keys = {
      ...OWN,
      GeographicTypeGeoKey: 4269,
      ProjLinearUnitsGeoKey: 9003,
      ProjCoordTransGeoKey: 8,
      ProjStdParallel1GeoKey: 41.0333333333333,
      ProjStdParallel2GeoKey: 40.6666666666667,
      ProjFalseOriginLongGeoKey: -74,
      ProjFalseOriginLatGeoKey: 40.1666666666667,
      ProjFalseOriginEastingGeoKey: 984_250,
      ProjFalseOriginNorthingGeoKey: 0,
    };
    const crs = (await crsOfGeoKeys(keys, []))!;
    expect(crs.code).toBe("EPSG:2263");
    // The false origin itself.
    expect(metresApart(placeIn(crs, 984_250, 0), [-74, 40.1666666666667])).toBeLessThan(0.01);
  });

  test("on a datum by its code take that datum's shift", async () => {
    const keys = {
      ...OWN,
      GeographicTypeGeoKey: 32767,
      GeogGeodeticDatumGeoKey: 6277,
      GeogSemiMajorAxisGeoKey: 6377563.396,
      GeogInvFlatteningGeoKey: 299.3249646,
      ProjCoordTransGeoKey: 1,
      ProjNatOriginLongGeoKey: -2,
      ProjNatOriginLatGeoKey: 49,
      ProjScaleAtNatOriginGeoKey: 0.9996012717,
      ProjFalseEastingGeoKey: 400_000,
      ProjFalseNorthingGeoKey: -100_000,
    };
    expect(await crsOfGeoKeys(keys, [])).toMatchObject({ code: "EPSG:27700", accuracy: 2 });
    const own = await crsOfGeoKeys({ ...keys, ProjNatOriginLongGeoKey: -3 }, []);
    expect(own).toMatchObject({ code: "own: own system", accuracy: 2 });
    expect(own!.proj4).toContain("+towgs84=446.448");
  });

  test("on a system with another prime meridian count from it", async () => {
    // A conic of one parallel, its longitude counted from Paris, its angles in grads.
    const keys = {
      ...OWN,
      GeographicTypeGeoKey: 4807,
      GeogAngularUnitsGeoKey: 9105,
      ProjCoordTransGeoKey: 9,
      ProjNatOriginLongGeoKey: 0,
      ProjNatOriginLatGeoKey: 52,
      ProjScaleAtNatOriginGeoKey: 0.99987742,
      ProjFalseEastingGeoKey: 600_000,
      ProjFalseNorthingGeoKey: 2_200_000,
    };
    const crs = (await crsOfGeoKeys(keys, []))!;
    expect(crs.code).toBe("EPSG:27572");
    // Its origin lies on the meridian of Paris at 46.8 degrees, moved by the shift of the datum.
    expect(metresApart(placeIn(crs, 600_000, 2_200_000), [2.33722917, 46.8])).toBeLessThan(100);
  });

  test("read the text that some programs put into a citation", async () => {
    const keys = { ...OWN, GTCitationGeoKey: `ESRI PE String = ${UTM_27S}|` };
    expect(await crsOfGeoKeys(keys, [])).toMatchObject({ code: "EPSG:32727" });
  });

  test.each([
    [
      "a code that is not known",
      { GTModelTypeGeoKey: 1, ProjectedCSTypeGeoKey: 29999 },
      /EPSG:29999 is not known/,
    ],
    [
      "a method that is not known",
      { ...OWN, GeographicTypeGeoKey: 4326, ProjCoordTransGeoKey: 4 },
      /names no projection/,
    ],
    [
      "a unit that is not known",
      { ...OWN, GeographicTypeGeoKey: 4326, ProjCoordTransGeoKey: 1, ProjLinearUnitsGeoKey: 9999 },
      /unit, 9999/,
    ],
    [
      "no ellipsoid",
      { ...OWN, ProjCoordTransGeoKey: 1, ProjNatOriginLongGeoKey: 3 },
      /names no ellipsoid/,
    ],
  ])("with %s are refused in words", async (_what, keys, words) => {
    await expect(crsOfGeoKeys(keys, [])).rejects.toThrow(words);
  });

  test("that say nothing give no system", async () => {
    expect(await crsOfGeoKeys({ GTRasterTypeGeoKey: 1 }, [])).toBeNull();
  });
});

test("an image whose coordinates are nowhere on the Earth is refused", async () => {
  const crs = await crsOfEpsg(32727);
  const far = { crs, transform: [1e9, 10, 0, 1e9, 0, -10] as const, width: 10, height: 10 };
  expect(() => requirePlaced(far)).toThrow(/nowhere on the Earth/);
  const metresCalledDegrees = {
    ...far,
    crs: LONLAT,
    transform: [488_000, 10, 0, 5_182_000, 0, -10] as const,
  };
  expect(hintOf(() => requirePlaced(metresCalledDegrees))).toMatch(/degrees may be called metres/);
});

/** What an error advises. */
function hintOf(work: () => unknown): string | undefined {
  try {
    work();
  } catch (error) {
    return error instanceof FormatError ? error.hint : undefined;
  }
  return undefined;
}
