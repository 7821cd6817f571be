import { MemorySource } from "@hindglance/formats/source";
import { openTiff } from "@hindglance/formats/tiff/readTiff";
import { type PlainTiff, plainTiffHeader } from "./plainTiff";

/** A file of one band whose cells count upwards from `first`, written as the header says. */
function fileOf(told: PlainTiff, first: number): MemorySource {
  const { width, height, bits, float, signed } = told;
  const cells = Array.from({ length: width * height }, (_v, k) => first + k);
  const values = new DataView(new ArrayBuffer((cells.length * bits) / 8));
  cells.forEach((value, k) => {
    const at = (k * bits) / 8;
    if (float) {
      values.setFloat32(at, value, true);
    } else if (bits === 32) {
      values.setUint32(at, value, true);
    } else if (signed) {
      values.setInt16(at, value, true);
    } else {
      values.setUint16(at, value, true);
    }
  });
  const header = plainTiffHeader(told);
  const bytes = new Uint8Array(header.length + values.byteLength);
  bytes.set(header);
  bytes.set(new Uint8Array(values.buffer), header.length);
  return new MemorySource(bytes);
}
const whole = (width: number, height: number) => ({ col: 0, row: 0, width, height });

test.each<[string, Omit<PlainTiff, "width" | "height">, number]>([
  ["uint16", { bits: 16, float: false }, 65_000],
  ["int16", { bits: 16, float: false, signed: true }, -20],
  ["uint32", { bits: 32, float: false }, 4_000_000_000],
  ["float32", { bits: 32, float: true }, -0.5],
])("cells of %s come back as they were written, row by row", async (sampleType, told, first) => {
  const raster = await openTiff(fileOf({ width: 7, height: 5, ...told }, first));
  expect(raster).toMatchObject({ width: 7, height: 5, sampleType });
  const [band] = await raster.readRaw(whole(7, 5));
  expect(Array.from(band!)).toEqual(Array.from({ length: 35 }, (_v, k) => first + k));
  const [part] = await raster.readRaw({ col: 2, row: 3, width: 2, height: 2 });
  expect(Array.from(part!)).toEqual([23, 24, 30, 31].map((k) => first + k));
});

test("a position that is said lies where it is said", async () => {
  const keys = [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, 32727];
  const raster = await openTiff(
    fileOf(
      {
        width: 3,
        height: 2,
        bits: 16,
        float: false,
        extra: [
          [33550, 12, [30, 30, 0]],
          [33922, 12, [0, 0, 0, 490_000, 5_180_000, 0]],
          [34735, 3, keys],
        ],
      },
      1,
    ),
  );
  expect(raster.grid).toMatchObject({
    transform: [490_000, 30, 0, 5_180_000, 0, -30],
    crs: { code: "EPSG:32727" },
  });
});

test("without a position none is made up", async () => {
  const raster = await openTiff(fileOf({ width: 3, height: 2, bits: 16, float: false }, 1));
  expect(raster.grid).toBeNull();
  expect(raster.noPosition).not.toBeNull();
});

test("text tags of any length leave the cells where they are", async () => {
  for (const text of ["", "a", "abcd", "a longer line of text than four bytes"]) {
    const codes = [...Buffer.from(`${text}\0`)];
    const raster = await openTiff(
      fileOf({ width: 4, height: 3, bits: 16, float: false, extra: [[42113, 2, codes]] }, 10),
    );
    const [band] = await raster.readRaw(whole(4, 3));
    expect(Array.from(band!)).toEqual(Array.from({ length: 12 }, (_v, k) => 10 + k));
  }
});
