import { FormatError } from "../errors";

/** How the numbers of a TIFF block are laid out. */
export interface SampleLayout {
  /** 1 unsigned, 2 signed, 3 floating point. */
  format: number;
  bits: number;
  littleEndian: boolean;
  /** 1 none, 2 horizontal differences, 3 floating point. */
  predictor: number;
  /** Samples that stand together in the block: all of them when interleaved, else one. */
  samples: number;
}

/**
 * Turns the decompressed bytes of one block into numbers, one array a sample, undoing the predictor
 * in the file's own byte order.
 * @returns `samples` arrays of width x height values in double precision range (Float64Array), row
 * by row
 * @throws FormatError when the block is too short
 */
export function unpackBlock(
  raw: Uint8Array,
  width: number,
  height: number,
  l: SampleLayout,
): Float64Array[] {
  const rowBytes = Math.ceil((width * l.samples * l.bits) / 8);
  if (raw.length < rowBytes * height) {
    throw new FormatError(
      "truncated",
      `A block holds ${raw.length} bytes where ${rowBytes * height} belong`,
    );
  }
  const bytes = l.predictor === 1 ? raw : raw.slice(0, rowBytes * height);
  if (l.predictor === 2) {
    undoDifferences(bytes, width, height, rowBytes, l);
  } else if (l.predictor === 3) {
    undoFloatPredictor(bytes, width, height, rowBytes, l);
  } else if (l.predictor !== 1) {
    throw new FormatError("unsupported", `Predictor ${l.predictor} is not known`);
  }
  const fast = plain(bytes, width * height, rowBytes * height, l);
  if (fast) {
    const o = new Float64Array(width * height);
    o.set(fast);
    return [o];
  }
  const out = Array.from({ length: l.samples }, () => new Float64Array(width * height));
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  // The floating-point predictor leaves values in this order whatever the file's.
  const le = l.predictor === 3 ? false : l.littleEndian;
  const read = reader(view, l, le, rowBytes);
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      for (let s = 0; s < l.samples; s++) {
        out[s]![r * width + c] = read(r, c * l.samples + s);
      }
    }
  }
  return out;
}

/**
 * The bytes as a typed array where they already are one: whole bytes, one sample, little-endian, no
 * predictor left to undo.
 */
function plain(
  b: Uint8Array,
  n: number,
  length: number,
  l: SampleLayout,
): ArrayLike<number> | null {
  if (l.samples !== 1 || l.predictor === 3 || (!l.littleEndian && l.bits !== 8)) {
    return null;
  }
  const a = b.byteOffset % 8 === 0 ? b : b.slice(0, length);
  const buffer = a.buffer as ArrayBuffer;
  const o = a.byteOffset;
  if (l.format === 3) {
    return l.bits === 32
      ? new Float32Array(buffer, o, n)
      : l.bits === 64
        ? new Float64Array(buffer, o, n)
        : null;
  }
  if (l.format === 1) {
    return l.bits === 8
      ? new Uint8Array(buffer, o, n)
      : l.bits === 16
        ? new Uint16Array(buffer, o, n)
        : l.bits === 32
          ? new Uint32Array(buffer, o, n)
          : null;
  }
  if (l.format === 2) {
    return l.bits === 8
      ? new Int8Array(buffer, o, n)
      : l.bits === 16
        ? new Int16Array(buffer, o, n)
        : l.bits === 32
          ? new Int32Array(buffer, o, n)
          : null;
  }
  return null;
}

function reader(
  v: DataView,
  l: SampleLayout,
  le: boolean,
  rowBytes: number,
): (row: number, k: number) => number {
  const at = (row: number, k: number, n: number) => row * rowBytes + k * n;
  if (l.format === 3) {
    if (l.bits === 32) {
      return (r, k) => v.getFloat32(at(r, k, 4), le);
    }
    if (l.bits === 64) {
      return (r, k) => v.getFloat64(at(r, k, 8), le);
    }
    if (l.bits === 16) {
      return (r, k) => half(v.getUint16(at(r, k, 2), le));
    }
  } else if (l.format === 1 || l.format === 2) {
    const signed = l.format === 2;
    if (l.bits === 8) {
      return signed ? (r, k) => v.getInt8(at(r, k, 1)) : (r, k) => v.getUint8(at(r, k, 1));
    }
    if (l.bits === 16) {
      return signed
        ? (r, k) => v.getInt16(at(r, k, 2), le)
        : (r, k) => v.getUint16(at(r, k, 2), le);
    }
    if (l.bits === 32) {
      return signed
        ? (r, k) => v.getInt32(at(r, k, 4), le)
        : (r, k) => v.getUint32(at(r, k, 4), le);
    }
    if (l.bits === 64) {
      return signed
        ? (r, k) => Number(v.getBigInt64(at(r, k, 8), le))
        : (r, k) => Number(v.getBigUint64(at(r, k, 8), le));
    }
    // 1, 2, 4, 12 … bits: packed from the most significant bit, rows start on a byte.
    if (!signed && l.bits < 32) {
      return (r, k) => {
        let x = 0;
        for (let i = 0, b = k * l.bits; i < l.bits; i++, b++) {
          x = (x << 1) | ((v.getUint8(r * rowBytes + (b >> 3)) >> (7 - (b & 7))) & 1);
        }
        return x;
      };
    }
  }
  throw new FormatError(
    "unsupported",
    `Numbers of ${l.bits} bits in format ${l.format} cannot be read`,
    l.format === 5 || l.format === 6
      ? "Complex images must be turned into intensity first."
      : undefined,
  );
}

/** IEEE 754 half precision. */
function half(h: number): number {
  const s = h & 0x8000 ? -1 : 1;
  const e = (h >> 10) & 31;
  const m = h & 1023;
  return e === 0
    ? s * m * 2 ** -24
    : e === 31
      ? m
        ? NaN
        : s * Infinity
      : s * (1 + m / 1024) * 2 ** (e - 15);
}

/**
 * Horizontal differencing (TIFF 6.0, section 14) for 8, 16, 32 and 64 bits in either byte order.
 */
function undoDifferences(
  b: Uint8Array,
  width: number,
  height: number,
  rowBytes: number,
  l: SampleLayout,
): void {
  const v = new DataView(b.buffer, b.byteOffset, b.byteLength);
  const n = l.samples;
  const le = l.littleEndian;
  for (let r = 0; r < height; r++) {
    const o = r * rowBytes;
    for (let k = n; k < width * n; k++) {
      if (l.bits === 8) {
        b[o + k] = (b[o + k]! + b[o + k - n]!) & 255;
      } else if (l.bits === 16) {
        v.setUint16(o + 2 * k, v.getUint16(o + 2 * k, le) + v.getUint16(o + 2 * (k - n), le), le);
      } else if (l.bits === 32) {
        v.setUint32(o + 4 * k, v.getUint32(o + 4 * k, le) + v.getUint32(o + 4 * (k - n), le), le);
      } else if (l.bits === 64) {
        v.setBigUint64(
          o + 8 * k,
          v.getBigUint64(o + 8 * k, le) + v.getBigUint64(o + 8 * (k - n), le),
          le,
        );
      } else {
        throw new FormatError(
          "unsupported",
          `Horizontal differencing of ${l.bits} bits is not known`,
        );
      }
    }
  }
}

/**
 * Floating-point predictor (Adobe TIFF technical note 3): bytes of equal weight stand together,
 * most significant first.
 */
function undoFloatPredictor(
  b: Uint8Array,
  width: number,
  height: number,
  rowBytes: number,
  l: SampleLayout,
): void {
  if (l.format !== 3) {
    throw new FormatError("damaged", "The floating-point predictor stands on whole numbers");
  }
  const size = l.bits / 8;
  const n = width * l.samples;
  const tmp = new Uint8Array(rowBytes);
  for (let r = 0; r < height; r++) {
    const row = b.subarray(r * rowBytes, (r + 1) * rowBytes);
    for (let k = l.samples; k < rowBytes; k++) {
      row[k] = (row[k]! + row[k - l.samples]!) & 255;
    }
    for (let k = 0; k < n; k++) {
      for (let i = 0; i < size; i++) {
        tmp[k * size + i] = row[i * n + k]!;
      }
    }
    row.set(tmp);
  }
}
