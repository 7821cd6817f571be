import { deflateSync, crc32 } from "node:zlib";
import sharp from "sharp";
import { MemorySource } from "../source";
import { openRaster } from "./open";

const open = (b: Uint8Array) => openRaster(new MemorySource(b));
const all = { col: 0, row: 0, width: 20, height: 10 };
const COLOURS = [
  [10, 20, 30],
  [200, 100, 0],
  [0, 90, 250],
] as const;
const at = (i: number) => COLOURS[((i % 20) >> 2) % 3]!;
const rgb = Uint8Array.from({ length: 600 }, (_v, i) => at(Math.floor(i / 3))[i % 3]!);

test("a palette stands for its colours, whatever the bits of its numbers", async () => {
  for (const colours of [4, 200]) {
    const png = await sharp(rgb, { raw: { width: 20, height: 10, channels: 3 } })
      .png({ palette: true, colours, dither: 0 })
      .toBuffer();
    expect(png[25]).toBe(3);
    const raster = await open(png);
    const bands = await raster.read(all);
    expect([raster.bands.map((band) => band.name), raster.sampleType]).toEqual([
      ["red", "green", "blue"],
      "uint8",
    ]);
    for (const i of [0, 5, 9, 113, 199]) {
      expect(bands.map((band) => band[i])).toEqual([...at(i)]);
    }
  }
});
test("a grey JPEG is one band", async () => {
  const grey = Uint8Array.from({ length: 200 }, (_v, i) => 40 + (i % 20) * 8);
  const raster = await open(
    await sharp(grey, { raw: { width: 20, height: 10, channels: 1 } })
      .toColourspace("b-w")
      .jpeg({ quality: 97 })
      .toBuffer(),
  );
  const [values] = await raster.read(all);
  expect(raster.bands.map((band) => band.name)).toEqual(["grey"]);
  for (const i of [0, 57, 199]) {
    expect(Math.abs(values![i]! - grey[i]!)).toBeLessThan(6);
  }
});

const chunk = (type: string, data: Uint8Array): Buffer => {
  const body = Buffer.concat([Buffer.from(type), data]);
  const out = Buffer.alloc(body.length + 8);
  out.writeUInt32BE(data.length);
  body.copy(out, 4);
  out.writeUInt32BE(crc32(body), body.length + 4);
  return out;
};
test("a picture that unpacks to more than it says, and files of other kinds, are refused in words", async () => {
  const head = Buffer.alloc(13);
  head.writeUInt32BE(20);
  head.writeUInt32BE(10, 4);
  head[8] = 8;
  const png = (cells: Buffer) =>
    Buffer.concat([
      Buffer.from([0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10]),
      chunk("IHDR", head),
      chunk("IDAT", deflateSync(cells)),
      chunk("IEND", Buffer.alloc(0)),
    ]);
  await expect(open(png(Buffer.alloc(30e6)))).rejects.toThrow(
    /unpacks to more than the 20 by 10 cells/,
  );
  expect((await open(png(Buffer.alloc(210)))).width).toBe(20);
  await expect(open(png(Buffer.alloc(50)))).rejects.toThrow(/cannot be decoded|cut off/);
  for (const text of [
    "%PDF-1.4 something that is no image",
    "<html><body>404</body></html>",
    "PK",
  ]) {
    await expect(open(new TextEncoder().encode(text))).rejects.toThrow(
      /not a TIFF, JPEG 2000, PNG or JPEG/,
    );
  }
});
