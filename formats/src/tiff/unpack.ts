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
  layout: SampleLayout,
): Float64Array[] {
  const rowBytes = Math.ceil((width * layout.samples * layout.bits) / 8);
  if (raw.length < rowBytes * height) {
    throw new FormatError(
      "truncated",
      `A block holds ${raw.length} bytes where ${rowBytes * height} belong`,
    );
  }
  const bytes = layout.predictor === 1 ? raw : copyOf(raw, rowBytes * height);
  if (layout.predictor === 2) {
    undoDifferences(bytes, width, height, rowBytes, layout);
  } else if (layout.predictor === 3) {
    undoFloatPredictor(bytes, width, height, rowBytes, layout);
  } else if (layout.predictor !== 1) {
    throw new FormatError("unsupported", `Predictor ${layout.predictor} is not known`);
  }
  const fast = plain(bytes, width * height, rowBytes * height, layout);
  if (fast) {
    const output = new Float64Array(width * height);
    output.set(fast);
    return [output];
  }
  const out = Array.from({ length: layout.samples }, () => new Float64Array(width * height));
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  // The floating-point predictor leaves values in this order whatever the file's.
  const le = layout.predictor === 3 ? false : layout.littleEndian;
  const read = reader(view, layout, le, rowBytes);
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      for (let s = 0; s < layout.samples; s++) {
        out[s]![r * width + c] = read(r, c * layout.samples + s);
      }
    }
  }
  return out;
}

/** Bytes of their own: slicing a Buffer would only look at the same ones. */
const copyOf = (bytes: Uint8Array, length: number): Uint8Array =>
  Uint8Array.from(bytes.subarray(0, length));

/**
 * The bytes as a typed array where they already are one: whole bytes, one sample, little-endian, no
 * predictor left to undo.
 */
function plain(
  b: Uint8Array,
  n: number,
  length: number,
  layout: SampleLayout,
): ArrayLike<number> | null {
  if (
    layout.samples !== 1 ||
    layout.predictor === 3 ||
    (!layout.littleEndian && layout.bits !== 8)
  ) {
    return null;
  }
  const a = b.byteOffset % 8 === 0 ? b : copyOf(b, length);
  const buffer = a.buffer as ArrayBuffer;
  const byteOffset = a.byteOffset;
  if (layout.format === 3) {
    if (layout.bits === 32) {
      return new Float32Array(buffer, byteOffset, n);
    }
    if (layout.bits === 64) {
      return new Float64Array(buffer, byteOffset, n);
    }
    return null;
  }
  if (layout.format === 1) {
    if (layout.bits === 8) {
      return new Uint8Array(buffer, byteOffset, n);
    }
    if (layout.bits === 16) {
      return new Uint16Array(buffer, byteOffset, n);
    }
    if (layout.bits === 32) {
      return new Uint32Array(buffer, byteOffset, n);
    }
    return null;
  }
  if (layout.format === 2) {
    if (layout.bits === 8) {
      return new Int8Array(buffer, byteOffset, n);
    }
    if (layout.bits === 16) {
      return new Int16Array(buffer, byteOffset, n);
    }
    if (layout.bits === 32) {
      return new Int32Array(buffer, byteOffset, n);
    }
    return null;
  }
  return null;
}

function reader(
  view: DataView,
  layout: SampleLayout,
  le: boolean,
  rowBytes: number,
): (row: number, k: number) => number {
  const at = (row: number, k: number, n: number) => row * rowBytes + k * n;
  if (layout.format === 3) {
    if (layout.bits === 32) {
      return (r, k) => view.getFloat32(at(r, k, 4), le);
    }
    if (layout.bits === 64) {
      return (r, k) => view.getFloat64(at(r, k, 8), le);
    }
    if (layout.bits === 16) {
      return (r, k) => half(view.getUint16(at(r, k, 2), le));
    }
  } else if (layout.format === 1 || layout.format === 2) {
    const signed = layout.format === 2;
    if (layout.bits === 8) {
      return signed ? (r, k) => view.getInt8(at(r, k, 1)) : (r, k) => view.getUint8(at(r, k, 1));
    }
    if (layout.bits === 16) {
      return signed
        ? (r, k) => view.getInt16(at(r, k, 2), le)
        : (r, k) => view.getUint16(at(r, k, 2), le);
    }
    if (layout.bits === 32) {
      return signed
        ? (r, k) => view.getInt32(at(r, k, 4), le)
        : (r, k) => view.getUint32(at(r, k, 4), le);
    }
    if (layout.bits === 64) {
      return signed
        ? (r, k) => Number(view.getBigInt64(at(r, k, 8), le))
        : (r, k) => Number(view.getBigUint64(at(r, k, 8), le));
    }
    // 1, 2, 4, 12 … bits: packed from the most significant bit, rows start on a byte.
    if (!signed && layout.bits < 32) {
      return (r, k) => {
        let x = 0;
        for (let i = 0, b = k * layout.bits; i < layout.bits; i++, b++) {
          x = (x << 1) | ((view.getUint8(r * rowBytes + (b >> 3)) >> (7 - (b & 7))) & 1);
        }
        return x;
      };
    }
  }
  throw new FormatError(
    "unsupported",
    `Numbers of ${layout.bits} bits in format ${layout.format} cannot be read`,
    layout.format === 5 || layout.format === 6
      ? "Complex images must be turned into intensity first."
      : undefined,
  );
}

/** IEEE 754 half precision. */
function half(h: number): number {
  const s = h & 0x8000 ? -1 : 1;
  const e = (h >> 10) & 31;
  const m = h & 1023;
  if (e === 0) {
    return s * m * 2 ** -24;
  }
  if (e === 31) {
    if (m) {
      return NaN;
    }
    return s * Infinity;
  }
  return s * (1 + m / 1024) * 2 ** (e - 15);
}

/**
 * Horizontal differencing (TIFF 6.0, section 14) for 8, 16, 32 and 64 bits in either byte order.
 */
function undoDifferences(
  b: Uint8Array,
  width: number,
  height: number,
  rowBytes: number,
  layout: SampleLayout,
): void {
  const view = new DataView(b.buffer, b.byteOffset, b.byteLength);
  const n = layout.samples;
  const le = layout.littleEndian;
  for (let r = 0; r < height; r++) {
    const offset = r * rowBytes;
    for (let k = n; k < width * n; k++) {
      if (layout.bits === 8) {
        b[offset + k] = (b[offset + k]! + b[offset + k - n]!) & 255;
      } else if (layout.bits === 16) {
        view.setUint16(
          offset + 2 * k,
          view.getUint16(offset + 2 * k, le) + view.getUint16(offset + 2 * (k - n), le),
          le,
        );
      } else if (layout.bits === 32) {
        view.setUint32(
          offset + 4 * k,
          view.getUint32(offset + 4 * k, le) + view.getUint32(offset + 4 * (k - n), le),
          le,
        );
      } else if (layout.bits === 64) {
        view.setBigUint64(
          offset + 8 * k,
          view.getBigUint64(offset + 8 * k, le) + view.getBigUint64(offset + 8 * (k - n), le),
          le,
        );
      } else {
        throw new FormatError(
          "unsupported",
          `Horizontal differencing of ${layout.bits} bits is not known`,
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
  layout: SampleLayout,
): void {
  if (layout.format !== 3) {
    throw new FormatError("damaged", "The floating-point predictor stands on whole numbers");
  }
  const size = layout.bits / 8;
  const n = width * layout.samples;
  const tmp = new Uint8Array(rowBytes);
  for (let r = 0; r < height; r++) {
    const row = b.subarray(r * rowBytes, (r + 1) * rowBytes);
    for (let k = layout.samples; k < rowBytes; k++) {
      row[k] = (row[k]! + row[k - layout.samples]!) & 255;
    }
    for (let k = 0; k < n; k++) {
      for (let i = 0; i < size; i++) {
        tmp[k * size + i] = row[i * n + k]!;
      }
    }
    row.set(tmp);
  }
}
