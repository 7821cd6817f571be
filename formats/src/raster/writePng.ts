import { once } from "node:events";
import { createDeflate, crc32 } from "node:zlib";

/** What a picture is: red, green and blue of 8 bits a pixel. */
export interface PngOptions {
  width: number;
  height: number;
  /** Pixels a metre, where the picture has a size; absent: it has none. */
  perMetre?: number;
  /** Rows of the picture from the top, some at a time, 3 bytes a pixel. */
  rows: AsyncIterable<Uint8Array>;
}

const SIGNATURE = Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]);
const CHANNELS = 3;
/** The filter that takes the pixel above away; by far most neighbours are alike. */
const UP = 2;
const LEVEL = 5;

function chunk(type: string, data: Uint8Array): Buffer {
  const out = Buffer.alloc(12 + data.length);
  out.writeUInt32BE(data.length, 0);
  out.write(type, 4, "latin1");
  out.set(data, 8);
  out.writeUInt32BE(crc32(out.subarray(4, 8 + data.length)), 8 + data.length);
  return out;
}

function header({ width, height }: PngOptions): Buffer {
  const data = Buffer.alloc(13);
  data.writeUInt32BE(width, 0);
  data.writeUInt32BE(height, 4);
  // 8 bits a channel, true colour, the one compression and filtering there are, not interlaced.
  data.set([8, 2, 0, 0, 0], 8);
  return chunk("IHDR", data);
}

function density(perMetre: number): Buffer {
  const data = Buffer.alloc(9);
  data.writeUInt32BE(Math.round(perMetre), 0);
  data.writeUInt32BE(Math.round(perMetre), 4);
  data[8] = 1;
  return chunk("pHYs", data);
}

/** Rows less the rows above them, each with its filter before it. */
function filtered(rows: Uint8Array, above: Uint8Array, stride: number): Buffer {
  const count = rows.length / stride;
  const out = Buffer.alloc(count * (stride + 1));
  let before = above;
  for (let r = 0; r < count; r++) {
    const row = rows.subarray(r * stride, (r + 1) * stride);
    const at = r * (stride + 1);
    out[at] = UP;
    for (let i = 0; i < stride; i++) {
      out[at + 1 + i] = row[i]! - before[i]!;
    }
    before = row;
  }
  above.set(before);
  return out;
}

/**
 * A picture as PNG (ISO/IEC 15948), row by row as rows come; memory holds some rows at a time.
 * @throws Error where the rows are not those of the size
 */
export async function* writePng(options: PngOptions): AsyncGenerator<Uint8Array> {
  const { width, height, rows, perMetre } = options;
  const stride = width * CHANNELS;
  yield SIGNATURE;
  yield header(options);
  if (perMetre) {
    yield density(perMetre);
  }
  const deflate = createDeflate({ level: LEVEL });
  const packed: Buffer[] = [];
  deflate.on("data", (data: Buffer) => packed.push(data));
  const above = new Uint8Array(stride);
  let bytes = 0;
  for await (const some of rows) {
    bytes += some.length;
    if (!deflate.write(filtered(some, above, stride))) {
      await once(deflate, "drain");
    }
    yield* packed.splice(0).map((data) => chunk("IDAT", data));
  }
  if (bytes !== stride * height) {
    throw new Error(`A picture of ${width} x ${height} was given ${bytes} bytes`);
  }
  deflate.end();
  await once(deflate, "end");
  yield* packed.splice(0).map((data) => chunk("IDAT", data));
  yield chunk("IEND", new Uint8Array(0));
}
