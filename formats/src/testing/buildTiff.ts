import { deflateSync } from "node:zlib";

/**
 * Builds small TIFFs of every flavour for tests of the reader, written from the TIFF 6.0 text and
 * apart from the product's writer.
 */
export interface Flavour {
  width: number;
  height: number;
  samples?: number;
  format?: 1 | 2 | 3;
  bits?: number;
  bigEndian?: boolean;
  big?: boolean;
  tile?: [number, number];
  rowsPerStrip?: number;
  planar?: 1 | 2;
  /** Others than none, deflate and PackBits are only named. */
  compression?: number;
  predictor?: 1 | 2 | 3;
  extra?: [tag: number, type: number, values: number[] | string][];
  /** A second image behind this one: its mask, say. */
  next?: Flavour;
  value: (c: number, r: number, s: number) => number;
}

export const UTM27S_KEYS: [number, number, number[] | string][] = [
  [34735, 3, [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, 32727]],
];
export const at = (x: number, y: number, cell: number): [number, number, number[] | string][] => [
  [33550, 12, [cell, cell, 0]],
  [33922, 12, [0, 0, 0, x, y, 0]],
];

/** A flavour with what is usual where nothing is said. */
interface Layout {
  samples: number;
  format: number;
  bits: number;
  le: boolean;
  planar: number;
  /** Samples of a cell that lie side by side. */
  per: number;
  compression: number;
  predictor: number;
  /** Size of a tile or strip. */
  block: [width: number, height: number];
}

function layoutOf({ width, height, rowsPerStrip = height, ...flavour }: Flavour): Layout {
  const {
    samples = 1,
    format = 3,
    bits = 32,
    planar = 1,
    compression = 1,
    predictor = 1,
  } = flavour;
  const block = flavour.tile ?? [width, Math.min(height, rowsPerStrip)];
  const per = planar === 1 ? samples : 1;
  return {
    ...{ samples, format, bits, planar, per, compression, predictor, block },
    le: !flavour.bigEndian,
  };
}

/** One tile or strip, packed as the flavour says. `plane`: which sample, where they lie apart. */
function blockOf(flavour: Flavour, layout: Layout, i: number, j: number, plane: number) {
  const { bits, per, format, le, planar, predictor, compression } = layout;
  const [blockWidth, blockHeight] = layout.block;
  const rows = flavour.tile ? blockHeight : Math.min(blockHeight, flavour.height - j * blockHeight);
  const rowBytes = Math.ceil((blockWidth * per * bits) / 8);
  const raw = new Uint8Array(rowBytes * rows);
  const view = new DataView(raw.buffer);
  const valueAt = (c: number, r: number, s: number): number =>
    c < flavour.width && r < flavour.height ? flavour.value(c, r, planar === 2 ? plane : s) : 0;
  for (let r = 0; r < rows; r++) {
    for (let k = 0; k < blockWidth * per; k++) {
      const column = i * blockWidth + Math.floor(k / per);
      const x = valueAt(column, j * blockHeight + r, k % per);
      if (bits < 8) {
        raw[r * rowBytes + ((k * bits) >> 3)]! |= x << (8 - bits - ((k * bits) & 7));
      } else {
        putSample(view, r * rowBytes + (k * bits) / 8, x, { format, bits, le });
      }
    }
  }
  return compress(predict(raw, rowBytes, rows, blockWidth, per, bits, le, predictor), compression);
}

type Field = [tag: number, type: number, values: number[] | string];

/** Where tiles or strips lie, and how large they are; their places are filled in later. */
function blockFields(flavour: Flavour, [width, height]: Layout["block"], sizes: number[]): Field[] {
  const places = sizes.map(() => 0);
  return flavour.tile
    ? [
        [322, 4, [width]],
        [323, 4, [height]],
        [325, 4, sizes],
        [324, 4, places],
      ]
    : [
        [278, 4, [height]],
        [279, 4, sizes],
        [273, 4, places],
      ];
}

export function buildTiff(flavour: Flavour): Uint8Array {
  return Uint8Array.from(Buffer.concat(withNext(flavour, imageOf(flavour, 0))));
}

/** Pieces of an image and of all that are behind it. */
function withNext(flavour: Flavour, image: ReturnType<typeof imageOf>, base = 0): Uint8Array[] {
  if (!flavour.next) {
    return [image.bytes];
  }
  const { big, bigEndian } = flavour;
  const next = { ...flavour.next, big, bigEndian };
  const behind = base + image.bytes.length;
  image.putNext(behind + (big ? 16 : 8));
  return [image.bytes, ...withNext(next, imageOf(next, behind), behind)];
}

/** An image as a file of its own whose places are counted from `base` bytes before it. */
function imageOf(flavour: Flavour, base: number) {
  const layout = layoutOf(flavour);
  const { samples, format, bits, le, planar, compression, predictor, block } = layout;
  const across = Math.ceil(flavour.width / block[0]);
  const down = Math.ceil(flavour.height / block[1]);
  const planes = planar === 2 ? samples : 1;
  const blocks = Array.from({ length: planes * down * across }, (_v, k) =>
    blockOf(
      flavour,
      layout,
      k % across,
      Math.floor(k / across) % down,
      Math.floor(k / (across * down)),
    ),
  );
  const sizes = blocks.map((bytes) => bytes.length);
  const has = (tag: number) => flavour.extra?.some(([given]) => given === tag);
  const fields: Field[] = [
    [256, 4, [flavour.width]],
    [257, 4, [flavour.height]],
    [258, 3, new Array<number>(samples).fill(bits)],
    [259, 3, [compression]],
    ...(has(262) ? [] : [[262, 3, [1]] as Field]),
    [277, 3, [samples]],
    [284, 3, [planar]],
    [317, 3, [predictor]],
    [339, 3, new Array<number>(samples).fill(format)],
    ...blockFields(flavour, block, sizes),
    ...(flavour.extra ?? []),
  ];
  return assemble(
    fields.sort((a, b) => a[0] - b[0]),
    blocks,
    le,
    flavour.big ?? false,
    base,
  );
}

/** A sample of whole bytes. */
function putSample(
  view: DataView,
  offset: number,
  x: number,
  { format, bits, le }: { format: number; bits: number; le: boolean },
): void {
  if (format === 3 && bits === 32) {
    view.setFloat32(offset, x, le);
  } else if (format === 3) {
    view.setFloat64(offset, x, le);
  } else if (bits === 8) {
    view.setUint8(offset, x & 255);
  } else if (bits === 16) {
    view.setUint16(offset, x & 65535, le);
  } else {
    view.setUint32(offset, x >>> 0, le);
  }
}

function predict(
  raw: Uint8Array,
  rowBytes: number,
  rows: number,
  bw: number,
  per: number,
  bits: number,
  le: boolean,
  predictor: number,
): Uint8Array {
  const out = raw.slice();
  const view = new DataView(out.buffer);
  const n = bw * per;
  for (let r = 0; r < rows; r++) {
    const offset = r * rowBytes;
    if (predictor === 2) {
      for (let k = n - 1; k >= per; k--) {
        if (bits === 8) {
          out[offset + k] = out[offset + k]! - out[offset + k - per]!;
        } else if (bits === 16) {
          view.setUint16(
            offset + 2 * k,
            view.getUint16(offset + 2 * k, le) - view.getUint16(offset + 2 * (k - per), le),
            le,
          );
        } else {
          view.setUint32(
            offset + 4 * k,
            view.getUint32(offset + 4 * k, le) - view.getUint32(offset + 4 * (k - per), le),
            le,
          );
        }
      }
    }
    if (predictor === 3) {
      const size = bits / 8;
      const row = out.slice(offset, offset + rowBytes);
      for (let k = 0; k < n; k++) {
        for (let i = 0; i < size; i++) {
          out[offset + i * n + k] = row[k * size + (le ? size - 1 - i : i)]!;
        }
      }
      for (let k = rowBytes - 1; k >= per; k--) {
        out[offset + k] = out[offset + k]! - out[offset + k - per]!;
      }
    }
  }
  return out;
}

function compress(b: Uint8Array, compression: number): Uint8Array {
  if (compression === 8) {
    return deflateSync(b);
  }
  if (compression !== 32773) {
    return b;
  }
  // PackBits as literal runs of up to 128 bytes.
  const out: number[] = [];
  for (let i = 0; i < b.length; i += 128) {
    const part = b.subarray(i, i + 128);
    out.push(part.length - 1, ...part);
  }
  return Uint8Array.from(out);
}

function assemble(
  fields: [number, number, number[] | string][],
  blocks: Uint8Array[],
  le: boolean,
  big: boolean,
  base: number,
): { bytes: Uint8Array; putNext(at: number): void } {
  const size: Record<number, number> = { 2: 1, 3: 2, 4: big ? 8 : 4, 12: 8 };
  const slot = big ? 8 : 4;
  const entry = big ? 20 : 12;
  const start = big ? 16 : 8;
  const bytesOf = (field: (typeof fields)[0]) =>
    (typeof field[2] === "string" ? field[2].length + 1 : field[2].length) * size[field[1]]!;
  let at = start + (big ? 8 : 2) + fields.length * entry + slot;
  // Places in this piece; those that are written are counted from the beginning of the file.
  const places = fields.map((field) => {
    const n = bytesOf(field);
    if (n <= slot) {
      return -1;
    }
    const position = at;
    at += n + (n & 1);
    return position;
  });
  const starts = blocks.map((block) => {
    const position = at;
    at += block.length;
    return position;
  });
  for (const field of fields) {
    if (field[0] === 324 || field[0] === 273) {
      field[2] = starts.map((position) => base + position);
    }
  }
  const out = new Uint8Array(at);
  const view = new DataView(out.buffer);
  const put = (position: number, x: number) => {
    if (big) {
      view.setBigUint64(position, BigInt(x), le);
    } else {
      view.setUint32(position, x, le);
    }
  };
  out.set(le ? [0x49, 0x49] : [0x4d, 0x4d]);
  view.setUint16(2, big ? 43 : 42, le);
  if (big) {
    view.setUint16(4, 8, le);
    put(8, 16);
  } else {
    put(4, 8);
  }
  let ownPosition = start;
  if (big) {
    put(ownPosition, fields.length);
  } else {
    view.setUint16(ownPosition, fields.length, le);
  }
  ownPosition += big ? 8 : 2;
  fields.forEach((field, i) => {
    view.setUint16(ownPosition, field[0], le);
    view.setUint16(ownPosition + 2, big && field[1] === 4 ? 16 : field[1], le);
    put(ownPosition + 4, typeof field[2] === "string" ? field[2].length + 1 : field[2].length);
    let next = ownPosition + (big ? 12 : 8);
    if (places[i]! >= 0) {
      put(next, base + places[i]!);
      next = places[i]!;
    }
    if (typeof field[2] === "string") {
      for (let k = 0; k < field[2].length; k++) {
        out[next + k] = field[2].charCodeAt(k);
      }
    } else {
      field[2].forEach((x, k) => {
        if (field[1] === 3) {
          view.setUint16(next + 2 * k, x, le);
        } else if (field[1] === 4) {
          put(next + slot * k, x);
        } else {
          view.setFloat64(next + 8 * k, x, le);
        }
      });
    }
    ownPosition += entry;
  });
  blocks.forEach((block, i) => out.set(block, starts[i]));
  const end = ownPosition;
  return { bytes: out, putNext: (position) => put(end, position) };
}
