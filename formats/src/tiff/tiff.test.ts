import { type GeoTIFFImage, fromArrayBuffer } from "geotiff";
import sharp from "sharp";
import { LONLAT, utm } from "@hindglance/core/geodesy/crs";
import { type Grid, northUp, toMap } from "@hindglance/core/grid/grid";
import { halveMean, halveMode } from "@hindglance/core/raster/pyramid";
import { lcg } from "@hindglance/core/testing/support";
import { type Flavour, UTM27S_KEYS, at, buildTiff } from "../testing/buildTiff";
import { MemorySource } from "../source";
import { openTiff } from "./readTiff";
import { MemoryFile } from "../memoryFile";
import { writeCog } from "./writeCog";

const place = [...UTM27S_KEYS, ...at(500000, 5170000, 20)];
const open = (b: Uint8Array) => openTiff(new MemorySource(b));
const width = 37;
const height = 29;
const whole = { col: 0, row: 0, width, height };
const int = (c: number, r: number, s: number) => (c * 7 + r * 13 + s * 31) % 251;
const real = (c: number, r: number, s: number) => Math.fround(Math.sin(c * 0.3) * 3 + r * 0.01 - s);

/** Bands of an image as another library reads them. */
const bandsOf = async (image: GeoTIFFImage): Promise<Float32Array[]> =>
  (await image.readRasters()).map((band) => Float32Array.from(band));

describe("reading: every flavour gives the values that went in", () => {
  const flavours: [string, Flavour][] = [];
  for (const bigEndian of [false, true]) {
    for (const compression of [1, 8, 32773] as const) {
      for (const tile of [undefined, [16, 16] as [number, number]]) {
        const base = {
          width,
          height,
          bigEndian,
          compression,
          tile,
          rowsPerStrip: 7,
        };
        flavours.push([
          `${bigEndian ? "MM" : "II"} ${compression} ${tile ? "tiles" : "strips"} float32`,
          { ...base, value: real },
        ]);
        flavours.push([
          `${bigEndian ? "MM" : "II"} ${compression} ${tile ? "tiles" : "strips"} uint16 x 3 planar, differenced`,
          {
            ...base,
            samples: 3,
            planar: 2,
            format: 1,
            bits: 16,
            predictor: compression === 8 ? 2 : 1,
            value: (c, r, s) => int(c, r, s) * 200,
          },
        ]);
        flavours.push([
          `${bigEndian ? "MM" : "II"} ${compression} ${tile ? "tiles" : "strips"} int16 x 2 interleaved, differenced`,
          {
            ...base,
            samples: 2,
            format: 2,
            bits: 16,
            predictor: compression === 8 ? 2 : 1,
            value: (c, r, s) => int(c, r, s) - 125,
          },
        ]);
        flavours.push([
          `${bigEndian ? "MM" : "II"} ${compression} ${tile ? "tiles" : "strips"} float32 x 2, float predictor`,
          { ...base, samples: 2, predictor: compression === 8 ? 3 : 1, value: real },
        ]);
      }
    }
  }
  flavours.push(
    ["BigTIFF float64", { width, height, big: true, bits: 64, value: real }],
    [
      "BigTIFF MM uint32 differenced",
      {
        width,
        height,
        big: true,
        bigEndian: true,
        format: 1,
        bits: 32,
        compression: 8,
        predictor: 2,
        value: (c, r) => c * 100003 + r,
      },
    ],
  );
  flavours.push(
    ["4 bits", { width, height, format: 1, bits: 4, value: (c, r) => (c + r) % 16 }],
    ["1 bit", { width, height, format: 1, bits: 1, value: (c, r) => (c ^ r) & 1 }],
    ["uint8 interleaved", { width, height, format: 1, bits: 8, samples: 3, value: int }],
  );
  test.each(flavours)("%s", async (_name, flavour) => {
    const raster = await open(buildTiff({ ...flavour, extra: place }));
    expect([raster.width, raster.height, raster.bands.length]).toEqual([
      width,
      height,
      flavour.samples ?? 1,
    ]);
    const all = await raster.read(whole);
    const part = await raster.read({ col: 11, row: 5, width: 20, height: 19 });
    for (let s = 0; s < (flavour.samples ?? 1); s++) {
      for (let r = 0; r < height; r++) {
        for (let c = 0; c < width; c++) {
          if (all[s]![r * width + c] !== Math.fround(flavour.value(c, r, s))) {
            throw new Error(
              `cell ${c},${r},${s}: ${all[s]![r * width + c]} instead of ${flavour.value(c, r, s)}`,
            );
          }
        }
      }
      for (let r = 0; r < 19; r++) {
        for (let c = 0; c < 20; c++) {
          expect(part[s]![r * 20 + c]).toBe(Math.fround(flavour.value(c + 11, r + 5, s)));
        }
      }
    }
  });

  const rgb = Buffer.from(
    Uint8Array.from(
      { length: 64 * 48 * 3 },
      (_v, i) => ((Math.floor(i / 3) % 64) * 3 + (i % 3) * 20) & 255,
    ),
  );
  test.each([
    ["lzw", { compression: "lzw", predictor: "horizontal" }],
    [
      "deflate tiles",
      { compression: "deflate", tile: true, tileWidth: 16, tileHeight: 16, predictor: "none" },
    ],
    ["packbits", { compression: "packbits" }],
    ["bigtiff lzw", { compression: "lzw", bigtiff: true }],
    ["pyramid", { compression: "lzw", tile: true, tileWidth: 16, tileHeight: 16, pyramid: true }],
  ] as [string, Parameters<ReturnType<typeof sharp>["tiff"]>[0]][])(
    "written by another library: %s",
    async (_n, tiffOptions) => {
      const raster = await open(
        new Uint8Array(
          await sharp(rgb, { raw: { width: 64, height: 48, channels: 3 } })
            .tiff(tiffOptions)
            .toBuffer(),
        ),
      );
      expect([raster.width, raster.height]).toEqual([64, 48]);
      const bands = await raster.read({ col: 0, row: 0, width: 64, height: 48 });
      bands.forEach((band, s) =>
        band.forEach((value, i) => {
          if (value !== rgb[i * 3 + s]) {
            throw new Error(`band ${s} cell ${i}: ${value} instead of ${rgb[i * 3 + s]}`);
          }
        }),
      );
      expect(raster.grid).toBeNull();
    },
  );
  test("JPEG inside TIFF has its colours back", async () => {
    const flat = Buffer.from(
      Uint8Array.from({ length: 64 * 48 * 3 }, (_v, i) => [200, 60, 30][i % 3]!),
    );
    const raster = await open(
      new Uint8Array(
        await sharp(flat, { raw: { width: 64, height: 48, channels: 3 } })
          .tiff({ compression: "jpeg", quality: 95 })
          .toBuffer(),
      ),
    );
    const bands = await raster.read({ col: 0, row: 0, width: 64, height: 48 });
    [200, 60, 30].forEach((value, s) => expect(Math.abs(bands[s]![1000]! - value)).toBeLessThan(4));
  });
});

describe("position, nodata, scale and names", () => {
  const fraction = (extra: Flavour["extra"], more: Partial<Flavour> = {}) =>
    open(buildTiff({ width, height, value: real, extra, ...more }));
  test("cell corner convention", async () => {
    const grid = (await fraction(place)).grid!;
    expect(grid.crs.code).toBe("EPSG:32727");
    expect(toMap(grid, 0, 0)).toEqual([500000, 5170000]);
  });
  test("centre convention moves by half a cell", async () => {
    const keys: Flavour["extra"] = [
      [34735, 3, [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 2, 3072, 0, 1, 32727]],
      ...at(500000, 5170000, 20),
    ];
    expect(toMap((await fraction(keys)).grid!, 0.5, 0.5)).toEqual([500000, 5170000]);
  });
  test("turned and south-up transforms", async () => {
    const grid = (
      await fraction([
        ...UTM27S_KEYS,
        [34264, 12, [10, 2, 0, 500000, 2, 10, 0, 5170000, 0, 0, 0, 0, 0, 0, 0, 1]],
      ])
    ).grid!;
    expect(toMap(grid, 3, 4)).toEqual([500000 + 30 + 8, 5170000 + 6 + 40]);
  });
  test("other systems: lon/lat, a national grid, one of the file’s own", async () => {
    expect(
      (
        await fraction([
          [34735, 3, [1, 1, 0, 2, 1024, 0, 1, 2, 2048, 0, 1, 4326]],
          ...at(-21, -43, 0.01),
        ])
      ).grid!.crs,
    ).toEqual(LONLAT);
    expect(
      (
        await fraction([
          [34735, 3, [1, 1, 0, 2, 1024, 0, 1, 1, 3072, 0, 1, 3035]],
          ...at(4e6, 3e6, 100),
        ])
      ).grid!.crs.proj4,
    ).toMatch(/\+proj=laea/);
    const own = await fraction([
      [
        34735,
        3,
        [
          1, 1, 0, 9, 1024, 0, 1, 1, 2048, 0, 1, 4326, 3072, 0, 1, 32767, 3074, 0, 1, 32767, 3075,
          0, 1, 1, 3076, 0, 1, 9001, 3080, 34736, 1, 0, 3081, 34736, 1, 1, 3092, 34736, 1, 2,
        ],
      ],
      [34736, 12, [-21, -43, 0.9999]],
      ...at(0, 0, 20),
    ]);
    expect(own.grid!.crs.proj4).toMatch(/\+proj=tmerc/);
  });
  test("no system, no transform: opened, with the reason", async () => {
    const raster = await fraction(at(0, 0, 20));
    const b = await fraction([]);
    const c = await fraction([
      [34735, 3, [1, 1, 0, 2, 1024, 0, 1, 1, 3072, 0, 1, 1]],
      ...at(0, 0, 20),
    ]);
    expect([raster.noPosition?.problem, b.noPosition?.problem, c.noPosition?.problem]).toEqual([
      "noCrs",
      "noPosition",
      "noCrs",
    ]);
    expect(c.noPosition?.message).toContain("EPSG:1 ");
  });
  test("nodata, scale, offset, band names and units", async () => {
    const xml =
      '<X><Item name="ACQUIRED">2025-05-02T18:41:00Z</Item><Item name="S" sample="0" role="scale">0.0001</Item><Item name="O" sample="0" role="offset">0.5</Item><Item name="D" sample="0" role="description">EVI &amp; more</Item><Item name="U" sample="0" role="unittype">1</Item></X>';
    const raster = await fraction([...place, [42112, 2, xml], [42113, 2, "-3000"]], {
      format: 2,
      bits: 16,
      value: (c, r) => (c === r ? -3000 : c * 10),
    });
    const [b] = await raster.read(whole);
    expect(b![0]).toBeNaN();
    expect(b![5]).toBeCloseTo(50 * 0.0001 + 0.5, 6);
    expect(raster.bands[0]).toEqual({ name: "EVI & more", unit: "1", scale: 0.0001, offset: 0.5 });
    expect(raster.items.ACQUIRED).toBe("2025-05-02T18:41:00Z");
  });
  test("a float32 fill value written as rounded text still matches", async () => {
    const raster = await fraction([...place, [42113, 2, "-3.4028234663852886e+38"]], {
      value: (c) => (c === 3 ? -3.4028234663852886e38 : c),
    });
    const [b] = await raster.read(whole);
    expect(b![3]).toBeNaN();
    expect(b![4]).toBe(4);
  });
});

describe("cells that are not there", () => {
  const isThere = (c: number, r: number) => (c + 2 * r) % 5 !== 0 && c > 3;
  /** Columns and rows where a band has no value, against those where it should have none. */
  const requireHoles = (band: Float32Array, there = isThere) =>
    expect(Array.from(band, (value) => !Number.isNaN(value))).toEqual(
      Array.from({ length: width * height }, (_v, k) => there(k % width, Math.floor(k / width))),
    );
  const maskOf = (bits: number, more: Partial<Flavour> = {}): Flavour => ({
    ...{ width, height, bits, format: 1, rowsPerStrip: 5 },
    extra: [
      [254, 4, [4]],
      [262, 3, [4]],
    ],
    value: (c, r) => (isThere(c, r) ? 2 ** bits - 1 : 0),
    ...more,
  });

  test.each<[string, Flavour]>([
    ["1 bit", { width, height, value: real, next: maskOf(1) }],
    [
      "1 bit, packed, big-endian",
      { width, height, value: real, bigEndian: true, next: maskOf(1, { compression: 32773 }) },
    ],
    [
      "8 bits in a BigTIFF of tiles",
      { width, height, value: real, big: true, next: maskOf(8, { tile: [16, 16] }) },
    ],
    [
      "8 bits behind an overview",
      {
        width,
        height,
        value: real,
        next: { ...maskOf(8), extra: [[254, 4, [1]]], width: 18, height: 14, next: maskOf(8) },
      },
    ],
  ])("by a mask of %s are nodata", async (_name, flavour) => {
    const [band] = await (await open(buildTiff(flavour))).read(whole);
    requireHoles(band!);
    expect(band![width + 5]).toBe(real(5, 1, 0));
  });

  test("by a mask and by a nodata value are both nodata", async () => {
    const bytes = buildTiff({
      ...{ width, height, samples: 2, next: maskOf(8), extra: [[42113, 2, "7"]] },
      value: (c, r, s) => (s === 1 && r === 2 ? 7 : real(c, r, s)),
    });
    const [first, second] = await (await open(bytes)).read(whole);
    requireHoles(first!);
    requireHoles(second!, (c, r) => isThere(c, r) && r !== 2);
  });

  test("by a mask of another size are refused", async () => {
    const bytes = buildTiff({ width, height, value: real, next: maskOf(8, { width: 20 }) });
    await expect(open(bytes)).rejects.toThrow(
      "The mask in the file has 20 by 29 cells, its image 37 by 29",
    );
  });

  test("by an alpha band are nodata, and it is no band, as another library writes them", async () => {
    const pixels = Buffer.from(
      Array.from({ length: width * height * 4 }, (_v, k) => {
        const [c, r] = [Math.floor(k / 4) % width, Math.floor(k / 4 / width)];
        const alpha = isThere(c, r) ? 255 : 0;
        return k % 4 === 3 ? alpha : 10 + int(c, r, k % 4) / 2;
      }),
    );
    const image = sharp(pixels, { raw: { width, height, channels: 4 } });
    const raster = await open(await image.tiff({ compression: "lzw" }).toBuffer());
    expect(raster.bands).toHaveLength(3);
    const bands = await raster.read(whole);
    bands.forEach((band) => requireHoles(band));
    expect(bands[2]![width + 5]).toBe(pixels[(width + 5) * 4 + 2]);
  });

  test("an extra band that is not said to be alpha stays a band", async () => {
    const bytes = buildTiff({ width, height, samples: 4, value: real, extra: [[338, 3, [0]]] });
    const raster = await open(bytes);
    expect(raster.bands).toHaveLength(4);
    requireHoles((await raster.read(whole))[3]!, () => true);
  });

  test("alpha may be the second of two bands, or stand before others", async () => {
    const value = (c: number, r: number, s: number) =>
      s === 1 ? Number(isThere(c, r)) : real(c, r, s);
    const grey = await open(
      buildTiff({ width, height, samples: 2, value, extra: [[338, 3, [2]]] }),
    );
    expect(grey.bands).toHaveLength(1);
    requireHoles((await grey.read(whole))[0]!);
    const three = await open(
      buildTiff({ width, height, samples: 3, planar: 2, value, extra: [[338, 3, [1, 0]]] }),
    );
    expect(three.bands).toHaveLength(2);
    requireHoles((await three.read(whole))[1]!);
  });
});

describe("refusals", () => {
  const good = buildTiff({
    width,
    height,
    value: real,
    extra: place,
    tile: [16, 16],
    compression: 8,
  });
  test.each([
    ["empty", new Uint8Array(0), /empty/],
    ["text", new TextEncoder().encode("<html>not found, sorry</html>"), /not a TIFF/],
    ["cut in the middle", good.slice(0, good.length - 200), /cut off/],
    ["cut in the directory", good.slice(0, 60), /cut off|cannot be read/],
  ] as [string, Uint8Array, RegExp][])("%s", async (_n, b, why) => {
    await expect(open(b)).rejects.toThrow(why);
  });
  test("an absurd size", async () => {
    const b = buildTiff({ width: 4, height: 4, value: real, extra: place });
    const view = new DataView(b.buffer);
    for (let position = 10; position < 10 + 12 * 15; position += 12) {
      const tag = view.getUint16(position, true);
      if (tag === 256 || tag === 257) {
        view.setUint32(position + 8, 2000000000, true);
      }
    }
    await expect(open(b)).rejects.toThrow(/cannot be right/);
  });
  test("a piece that would take too much memory", async () => {
    const b = buildTiff({ width: 4, height: 4, value: real, compression: 8, extra: place });
    const view = new DataView(b.buffer);
    const entries = Array.from({ length: view.getUint16(8, true) }, (_v, k) => 10 + 12 * k);
    const ofSize = entries.filter((at) => [256, 257, 278].includes(view.getUint16(at, true)));
    expect(ofSize).toHaveLength(3);
    // 16 bytes a cell: as it is stored, unpacked, and as a number.
    ofSize.forEach((entry) => view.setUint32(entry + 8, 7072, true));
    await expect(open(b)).rejects.toThrow(/compressed in one piece of 7072 by 7072 cells/);
    ofSize.forEach((entry) => view.setUint32(entry + 8, 7071, true));
    await expect(open(b)).rejects.not.toThrow(/in one piece/);
  });
  test("an unknown compression, and damage inside a block", async () => {
    const b = buildTiff({ width: 4, height: 4, value: real });
    const view = new DataView(b.buffer);
    for (let position = 10; position < 10 + 12 * 12; position += 12) {
      if (view.getUint16(position, true) === 259) {
        view.setUint16(position + 8, 4711, true);
      }
    }
    await expect(open(b)).rejects.toThrow(/This compression \(4711\)/);
    const faxed = buildTiff({ width: 4, height: 4, value: real, compression: 4 });
    await expect(open(faxed)).rejects.toThrow(/CCITT Group 4 compression \(4\)/);
    const damaged = good.slice();
    damaged.fill(0xff, damaged.length - 150, damaged.length - 20);
    await expect(open(damaged).then((raster) => raster.read(whole))).rejects.toThrow(
      /cannot be decompressed|belong/,
    );
  });
  test("random damage never hangs and never gives anything but an error or values", async () => {
    const random = lcg(77);
    for (let k = 0; k < 200; k++) {
      const damaged = good.slice();
      for (let i = 0; i < 6; i++) {
        damaged[Math.floor(random() * (k % 2 ? 400 : damaged.length))] = Math.floor(random() * 256);
      }
      try {
        const raster = await open(damaged);
        if (raster.width * raster.height < 1e6) {
          await raster.read({ col: 0, row: 0, width: raster.width, height: raster.height });
        }
      } catch (error) {
        expect(error instanceof Error && error.name).toMatch(/^(FormatError|RangeError)$/);
      }
    }
  });
});

describe("cloud-optimised GeoTIFF", () => {
  async function cog(options: {
    type: "float32" | "uint8";
    grid: Grid;
    levels: { width: number; height: number; bands: (Float32Array | Uint8Array)[] }[];
    nodata: number | null;
    palette?: Record<number, string>;
  }): Promise<Uint8Array> {
    const parts: Uint8Array[] = [];
    await writeCog(
      {
        grid: options.grid,
        type: options.type,
        nodata: options.nodata,
        palette: options.palette,
        bands: options.levels[0]!.bands.map((_b, i) => ({ name: `band <${i}>`, unit: "dB" })),
        items: { LEGEND: "1=new water" },
        levels: options.levels.length,
        readBlock: async (level, row, col) => {
          const { width, height, bands } = options.levels[level]!;
          const w = Math.min(512, width - col * 512);
          const h = Math.min(512, height - row * 512);
          return bands.map((band) => {
            const out =
              band instanceof Float32Array ? new Float32Array(w * h) : new Uint8Array(w * h);
            for (let r = 0; r < h; r++) {
              out.set(
                band.subarray(
                  (row * 512 + r) * width + col * 512,
                  (row * 512 + r) * width + col * 512 + w,
                ),
                r * w,
              );
            }
            return out;
          });
        },
      },
      new MemoryFile(),
      async (b) => {
        parts.push(b.slice());
      },
    );
    return new Uint8Array(Buffer.concat(parts));
  }
  const w = 1100;
  const h = 700;
  const random = lcg(5);
  const grid = northUp(utm(27, true), 488000, 5182000, 20, 20, w, h);
  const f0 = Float32Array.from({ length: w * h }, (_v, i) =>
    i % 97 === 0 ? NaN : random() * 30 - 25,
  );
  const f1 = new Float32Array(550 * 350);
  const f2 = new Float32Array(275 * 175);
  halveMean(f0, w, h, f1);
  halveMean(f1, 550, 350, f2);
  const c0 = Uint8Array.from({ length: w * h }, (_v, i) => (i % w < 30 ? 255 : (i >> 6) % 4));
  const c1 = new Uint8Array(550 * 350);
  halveMode(c0, w, h, c1);

  test("float: an independent reader finds the same values, system, nodata, overviews", async () => {
    const b = await cog({
      type: "float32",
      grid,
      nodata: NaN,
      levels: [
        { width: w, height: h, bands: [f0, f0.map((value) => value * 2)] },
        { width: 550, height: 350, bands: [f1, f1.map((value) => value * 2)] },
        { width: 275, height: 175, bands: [f2, f2.map((value) => value * 2)] },
      ],
    });
    const tiff = await fromArrayBuffer(Uint8Array.from(b).buffer);
    const image = await tiff.getImage(0);
    expect(await tiff.getImageCount()).toBe(3);
    expect(image.getGeoKeys()).toMatchObject({
      ProjectedCSTypeGeoKey: 32727,
      GTRasterTypeGeoKey: 1,
    });
    expect(image.getOrigin().slice(0, 2)).toEqual([488000, 5182000]);
    expect(image.getGDALNoData()).toBeNaN();
    const r = await bandsOf(image);
    expect(r[0]).toEqual(f0);
    expect(r[1]![5000]).toBe(Math.fround(f0[5000]! * 2));
    const out = await bandsOf(await tiff.getImage(2));
    expect(out[0]).toEqual(f2);
    // Directories first, then the smallest overview, the full image last.
    const first = async (i: number) =>
      Number(await (await tiff.getImage(i)).fileDirectory.loadValueIndexed("TileOffsets", 0));
    expect(await first(2)).toBeLessThan(await first(1));
    expect(await first(1)).toBeLessThan(await first(0));
  });
  test("float: our own reader and a third library agree", async () => {
    const b = await cog({
      type: "float32",
      grid,
      nodata: NaN,
      levels: [{ width: w, height: h, bands: [f0] }],
    });
    const raster = await open(b);
    expect(raster.grid).toEqual(grid);
    expect(raster.bands[0]).toMatchObject({ name: "band <0>", unit: "dB" });
    expect((await raster.read({ col: 0, row: 0, width: w, height: h }))[0]).toEqual(f0);
    const clean = await cog({
      type: "float32",
      grid,
      nodata: -99,
      levels: [{ width: w, height: h, bands: [f0] }],
    });
    const { data, info } = await sharp(Buffer.from(clean))
      .raw({ depth: "float" })
      .toBuffer({ resolveWithObject: true });
    expect([info.width, info.height]).toEqual([w, h]);
    const values = new Float32Array(data.buffer, data.byteOffset, w * h * info.channels);
    for (const i of [1, 500, 70000, w * h - 2]) {
      expect(values[i * info.channels]).toBeCloseTo(Number.isNaN(f0[i]!) ? -99 : f0[i]!, 5);
    }
  });
  test("classes: values, colours, nodata", async () => {
    const b = await cog({
      type: "uint8",
      grid,
      nodata: 255,
      palette: { 0: "#ffffff", 1: "#c8246f", 2: "#33498c", 3: "#c29a1b" },
      levels: [
        { width: w, height: h, bands: [c0] },
        { width: 550, height: 350, bands: [c1] },
      ],
    });
    const raster = await open(b);
    expect(raster.palette!.slice(0, 4)).toEqual(["#ffffff", "#c8246f", "#33498c", "#c29a1b"]);
    expect(raster.nodata).toBe(255);
    expect(raster.items.LEGEND).toBe("1=new water");
    expect(
      (await raster.readRaw({ col: 0, row: 0, width: w, height: h }))[0]!.every(
        (value, i) => value === c0[i],
      ),
    ).toBe(true);
    const tiff = await fromArrayBuffer(Uint8Array.from(b).buffer);
    expect((await bandsOf(await tiff.getImage(1)))[0]).toEqual(Float32Array.from(c1));
  });
  test("a system without an EPSG code is refused in words", async () => {
    await expect(
      cog({
        type: "uint8",
        grid: { ...grid, crs: { code: "own: x", proj4: "+proj=tmerc" } },
        nodata: 255,
        levels: [{ width: w, height: h, bands: [c0] }],
      }),
    ).rejects.toThrow(/no EPSG code/);
  });
});
