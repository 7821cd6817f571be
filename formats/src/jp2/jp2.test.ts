import openjpeg from "@cornerstonejs/codec-openjpeg/wasmjs";
import { encode as encodePng } from "fast-png";
import jpeg from "jpeg-js";
import { openRaster } from "../raster/open";
import { readPrj, readWorldFile } from "../raster/worldFile";
import { MemorySource } from "../source";
import { buildCodestream, buildJp2 } from "../testing/buildJp2";
import { buildTiff } from "../testing/buildTiff";
import { FOUR_BANDS_16, THREE_BANDS_16 } from "../testing/jp2Samples";

const width = 310;
const height = 205;
const cells = Uint16Array.from(
  { length: width * height },
  (_v, i) => 900 + (((i % width) * 37 + Math.floor(i / width) * 11) % 12_000),
);
const other = cells.map((value) => 20_000 - value);
const open = (b: Uint8Array) => openRaster(new MemorySource(b));
const GML =
  '<gml:RectifiedGrid><gml:origin><gml:Point srsName="urn:ogc:def:crs:EPSG::32727"><gml:pos>488005 5181995</gml:pos></gml:Point></gml:origin><gml:offsetVector>10 0</gml:offsetVector><gml:offsetVector>0 -10</gml:offsetVector></gml:RectifiedGrid>';
let tiled: Uint8Array;
beforeAll(async () => {
  tiled = await buildJp2({ width, height, bits: 16, tile: 128, cells: [cells] }, { gml: GML });
});

test("the test image is sound: the decoder reads it whole and gives the same cells", async () => {
  const { J2KDecoder } = await openjpeg({ print: () => {}, printErr: () => {} });
  const j2KDecoder = new J2KDecoder();
  const b = await buildCodestream({
    width,
    height,
    bits: 16,
    tile: 128,
    cells: [cells],
  });
  j2KDecoder.getEncodedBuffer(b.length).set(b);
  j2KDecoder.decode();
  expect(j2KDecoder.getFrameInfo()).toMatchObject({
    width,
    height,
    componentCount: 1,
  });
  expect(new Uint16Array(Uint8Array.from(j2KDecoder.getDecodedBuffer()).buffer)).toEqual(cells);
});
test("windows over tiles, cell by cell; position from GML", async () => {
  const raster = await open(tiled);
  expect([
    raster.width,
    raster.height,
    raster.sampleType,
    raster.blockHeight,
    raster.grid!.crs.code,
    raster.grid!.transform,
  ]).toEqual([width, height, "uint16", 128, "EPSG:32727", [488000, 10, 0, 5182000, 0, -10]]);
  for (const w of [
    { col: 0, row: 0, width, height },
    { col: 120, row: 100, width: 20, height: 60 },
    { col: 309, row: 204, width: 1, height: 1 },
  ]) {
    const [a] = await raster.readRaw(w);
    for (let r = 0; r < w.height; r++) {
      for (let c = 0; c < w.width; c++) {
        if (a![r * w.width + c] !== cells[(w.row + r) * width + w.col + c]) {
          throw new Error(`cell ${w.col + c}, ${w.row + r}`);
        }
      }
    }
  }
  await expect(raster.readRaw({ col: 300, row: 0, width: 11, height: 1 })).rejects.toThrow(
    /reaches outside/,
  );
});
test("several bands, 8 bits, a bare codestream, one tile, and a position in a GeoTIFF box", async () => {
  const geo = buildTiff({
    width: 1,
    height: 1,
    value: () => 0,
    extra: [
      [33550, 12, [20, 20, 0]],
      [33922, 12, [0, 0, 0, 500000, 5170000, 0]],
      [34735, 3, [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, 32727]],
    ],
  });
  const bytes = cells.map((value) => value & 255);
  const dim = other.map((value) => value & 127);
  const three = await open(
    await buildJp2({ width, height, bits: 8, tile: 128, cells: [bytes, dim, bytes] }, { geo }),
  );
  const bare = await open(
    await buildCodestream({ width, height, bits: 8, tile: 64, cells: [bytes] }),
  );
  const w = { col: 33, row: 60, width: 50, height: 9 };
  expect(three.grid!.transform).toEqual([500000, 20, 0, 5170000, 0, -20]);
  const [a, b, again] = await three.readRaw(w);
  const [c] = await bare.readRaw(w);
  for (let i = 0; i < a!.length; i++) {
    const at = (60 + Math.floor(i / 50)) * width + 33 + (i % 50);
    expect([a![i], b![i], again![i], c![i]]).toEqual([bytes[at], dim[at], bytes[at], bytes[at]]);
  }
  expect([bare.sampleType, bare.noPosition!.problem]).toEqual(["uint8", "noPosition"]);
});
test.each([
  [3, THREE_BANDS_16],
  [4, FOUR_BANDS_16],
])("%i bands of 16 bits in one file keep their values", async (n, file) => {
  const raster = await open(Buffer.from(file, "base64"));
  const got = await raster.readRaw({ col: 20, row: 10, width: 20, height: 20 });
  expect([raster.width, raster.height, raster.sampleType, raster.bands.length]).toEqual([
    40,
    30,
    "uint16",
    n,
  ]);
  got.forEach((band, b) =>
    expect([...band]).toEqual(
      Array.from(
        { length: 400 },
        (_v, i) => (900 * (20 + (i % 20)) + 310 * (10 + Math.floor(i / 20)) * (b + 1)) % 65_536,
      ),
    ),
  );
  expect(new Uint8ClampedArray([300])[0]).toBe(255);
});
test("several bands that are cut off are refused in words", async () => {
  const good = Buffer.from(FOUR_BANDS_16, "base64");
  await expect(open(good.subarray(0, good.length - 300))).rejects.toThrow(/cut off/);
});
test("cut off, damaged and absurd files are refused in words", async () => {
  await expect(open(tiled.slice(0, tiled.length - 900))).rejects.toThrow(/cut off/);
  const tile = tiled.slice();
  const at = tile.length - 4000;
  for (let i = 0; i < 2500; i++) {
    tile[at + i] = 0x55;
  }
  await expect(
    (async () => {
      const raster = await open(tile);
      await raster.readRaw({ col: 0, row: 0, width, height });
    })(),
  ).rejects.toThrow(/does not begin where it should|cannot be decompressed|cut off|names tile/);
  const huge = await buildCodestream({
    width: 64,
    height: 64,
    bits: 8,
    tile: 64,
    cells: [new Uint16Array(64 * 64)],
  });
  const view = new DataView(huge.buffer);
  view.setUint32(8, 900_000);
  view.setUint32(12, 900_000);
  await expect(open(huge)).rejects.toThrow(/cannot be right/);
  await expect(
    open(Uint8Array.of(0, 0, 0, 12, 0x6a, 0x50, 0x20, 0x20, 13, 10, 0x87, 10)),
  ).rejects.toThrow(/holds no image/);
});
test("pictures: values, colours, palettes and transparency; no position", async () => {
  const rgba = new Uint8Array(5 * 4 * 4).map((_v, i) => {
    if (i % 4 === 3) {
      if (i < 8) {
        return 0;
      }
      return 255;
    }
    return i;
  });
  const raster = await open(encodePng({ width: 5, height: 4, data: rgba, channels: 4 }));
  const all = { col: 0, row: 0, width: 5, height: 4 };
  const r = await raster.read(all);
  expect([
    raster.bands.map((band) => band.name),
    r[0]![0],
    r[1]![3],
    r[2]![19],
    raster.noPosition!.problem,
  ]).toEqual([["red", "green", "blue"], NaN, 13, 78, "noPosition"]);
  const deep = await open(
    encodePng({
      width: 3,
      height: 1,
      depth: 16,
      channels: 1,
      data: Uint16Array.of(0, 1000, 65535),
    }),
  );
  expect([
    deep.sampleType,
    [...(await deep.read({ col: 0, row: 0, width: 3, height: 1 }))[0]!],
  ]).toEqual(["uint16", [0, 1000, 65535]]);
  const flat = new Uint8Array(16 * 16 * 4).map((_v, i) => [90, 140, 40, 255][i % 4]!);
  const j = await open(jpeg.encode({ width: 16, height: 16, data: flat }, 95).data);
  const [red, green, blue] = await j.read({ col: 4, row: 4, width: 1, height: 1 });
  for (const [got, want] of [
    [red, 90],
    [green, 140],
    [blue, 40],
  ] as const) {
    expect(Math.abs(got![0]! - want)).toBeLessThan(4);
  }
  await expect(
    open(encodePng({ width: 5, height: 4, data: rgba, channels: 4 }).slice(0, 60)),
  ).rejects.toThrow(/cannot be decoded|cut off/);
});
test("world files name the centre of the first cell; systems by code, by zone, by text", async () => {
  expect(readWorldFile("10\n0\n0\n-10\n488005\n5181995\n", "a.pgw")).toEqual([
    488000, 10, 0, 5182000, 0, -10,
  ]);
  expect(readWorldFile("9,5 0.5 0.5 -9.5 100 200", "a.wld")).toEqual([
    100 - 5,
    9.5,
    0.5,
    200 + 4.5,
    0.5,
    -9.5,
  ]);
  expect(() => readWorldFile("10\n0\nx", "a.pgw")).toThrow(/six numbers/);
  expect(() => readWorldFile("0 0 0 0 1 1", "a.pgw")).toThrow(/without extent/);
  expect(
    (
      await readPrj(
        'PROJCS["WGS_1984_UTM_Zone_27S",GEOGCS["GCS_WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137,298.257223563]],PRIMEM["Greenwich",0],UNIT["Degree",0.017453292519943295]],PROJECTION["Transverse_Mercator"],PARAMETER["False_Easting",500000],PARAMETER["False_Northing",10000000],PARAMETER["Central_Meridian",-21],PARAMETER["Scale_Factor",0.9996],PARAMETER["Latitude_Of_Origin",0],UNIT["Meter",1]]',
        "a.prj",
      )
    ).code,
  ).toBe("EPSG:32727");
  expect(
    (
      await readPrj(
        'GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433],AUTHORITY["EPSG","4326"]]',
        "a.prj",
      )
    ).code,
  ).toBe("EPSG:4326");
  await expect(readPrj("nonsense", "a.prj")).rejects.toThrow(/^a.prj: .*broken off or garbled/);
});
