import { decode } from "fast-png";
import { writePng } from "./writePng";

async function* inRows(bytes: Uint8Array, sizes: readonly number[]) {
  let from = 0;
  for (const size of sizes) {
    yield await Promise.resolve(bytes.subarray(from, from + size));
    from += size;
  }
}

async function written(options: Parameters<typeof writePng>[0]): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  for await (const part of writePng(options)) {
    parts.push(part);
  }
  return Buffer.concat(parts);
}

const [width, height] = [37, 23];
const bytes = Uint8Array.from({ length: 3 * width * height }, (_v, i) => (i * i * 7 + i) % 256);

test("another reader finds the same pixels, however many rows come at a time", async () => {
  const stride = 3 * width;
  for (const rows of [[23], [1, 5, 17], Array.from({ length: 23 }, () => 1)]) {
    const sizes = rows.map((count) => count * stride);
    const png = await written({ width, height, rows: inRows(bytes, sizes) });
    const read = decode(png, { checkCrc: true });
    expect([read.width, read.height, read.channels, read.depth]).toEqual([width, height, 3, 8]);
    expect(Buffer.from(read.data).equals(Buffer.from(bytes))).toBe(true);
  }
});

test("it says how large it is printed", async () => {
  const rows = inRows(bytes, [bytes.length]);
  const read = decode(await written({ width, height, rows, perMetre: 11_811 }));
  expect(read.resolution).toEqual({ x: 11_811, y: 11_811, unit: 1 });
});

test("rows that are too few end in an error", async () => {
  const rows = inRows(bytes, [bytes.length - 3 * width]);
  await expect(written({ width, height, rows })).rejects.toThrow("37 x 23");
});
