/**
 * What a plain striped TIFF says in front of its cells: one strip a row, no compression,
 * little-endian.
 */
export interface PlainTiff {
  width: number;
  height: number;
  bits: 16 | 32;
  float: boolean;
  signed?: boolean;
  extra?: [tag: number, type: 2 | 3 | 4 | 12, values: number[]][];
}

/** Directory of such a file; the rows follow at once. */
export function plainTiffHeader(t: PlainTiff): Uint8Array {
  const row = (t.width * t.bits) / 8;
  const fields: [number, number, number[]][] = [
    [256, 4, [t.width]],
    [257, 4, [t.height]],
    [258, 3, [t.bits]],
    [259, 3, [1]],
    [262, 3, [1]],
    [273, 4, []],
    [277, 3, [1]],
    [278, 4, [1]],
    [279, 4, new Array<number>(t.height).fill(row)],
    [339, 3, [t.float ? 3 : t.signed ? 2 : 1]],
    ...(t.extra ?? []),
  ];
  fields[5]![2] = new Array<number>(t.height).fill(0);
  const size: Record<number, number> = { 2: 1, 3: 2, 4: 4, 12: 8 };
  let at = 8 + 2 + fields.length * 12 + 4;
  const places = fields.map((f) => {
    const b = f[2].length * size[f[1]]!;
    if (b <= 4) {
      return -1;
    }
    const p = at;
    at += b + (b & 1);
    return p;
  });
  at = (at + 7) & ~7;
  fields[5]![2] = Array.from({ length: t.height }, (_v, i) => at + i * row);
  const out = new Uint8Array(at);
  const v = new DataView(out.buffer);
  out.set([0x49, 0x49, 42, 0, 8]);
  v.setUint16(8, fields.length, true);
  fields.forEach((f, i) => {
    const p = 10 + i * 12;
    v.setUint16(p, f[0], true);
    v.setUint16(p + 2, f[1], true);
    v.setUint32(p + 4, f[2].length, true);
    let q = p + 8;
    if (places[i]! >= 0) {
      v.setUint32(q, places[i]!, true);
      q = places[i]!;
    }
    f[2].forEach((x, k) => {
      if (f[1] === 2) {
        v.setUint8(q + k, x);
      } else if (f[1] === 3) {
        v.setUint16(q + 2 * k, x, true);
      } else if (f[1] === 4) {
        v.setUint32(q + 4 * k, x, true);
      } else {
        v.setFloat64(q + 8 * k, x, true);
      }
    });
  });
  return out;
}
