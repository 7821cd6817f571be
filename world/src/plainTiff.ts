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
  /** Values of a cell, one after the other; one where nothing is said. */
  samples?: number;
  extra?: [tag: number, type: 2 | 3 | 4 | 12, values: number[]][];
}

/** TIFF's code of the kind of number: 1 unsigned, 2 signed, 3 floating point. */
function sampleFormat({ float, signed }: PlainTiff): 1 | 2 | 3 {
  if (float) {
    return 3;
  }
  return signed ? 2 : 1;
}

/** Directory of such a file; the rows follow at once. */
export function plainTiffHeader(plainTiff: PlainTiff): Uint8Array {
  const samples = plainTiff.samples ?? 1;
  const row = (plainTiff.width * samples * plainTiff.bits) / 8;
  const fields: [number, number, number[]][] = [
    [256, 4, [plainTiff.width]],
    [257, 4, [plainTiff.height]],
    [258, 3, new Array<number>(samples).fill(plainTiff.bits)],
    [259, 3, [1]],
    [262, 3, [1]],
    [273, 4, []],
    [277, 3, [samples]],
    [278, 4, [1]],
    [279, 4, new Array<number>(plainTiff.height).fill(row)],
    [339, 3, new Array<number>(samples).fill(sampleFormat(plainTiff))],
    ...(plainTiff.extra ?? []),
  ];
  fields[5]![2] = new Array<number>(plainTiff.height).fill(0);
  const size: Record<number, number> = { 2: 1, 3: 2, 4: 4, 12: 8 };
  let at = 8 + 2 + fields.length * 12 + 4;
  const places = fields.map((field) => {
    const b = field[2].length * size[field[1]]!;
    if (b <= 4) {
      return -1;
    }
    const position = at;
    at += b + (b & 1);
    return position;
  });
  at = (at + 7) & ~7;
  fields[5]![2] = Array.from({ length: plainTiff.height }, (_v, i) => at + i * row);
  const out = new Uint8Array(at);
  const view = new DataView(out.buffer);
  out.set([0x49, 0x49, 42, 0, 8]);
  view.setUint16(8, fields.length, true);
  fields.forEach((field, i) => {
    const position = 10 + i * 12;
    view.setUint16(position, field[0], true);
    view.setUint16(position + 2, field[1], true);
    view.setUint32(position + 4, field[2].length, true);
    let next = position + 8;
    if (places[i]! >= 0) {
      view.setUint32(next, places[i]!, true);
      next = places[i]!;
    }
    field[2].forEach((x, k) => {
      if (field[1] === 2) {
        view.setUint8(next + k, x);
      } else if (field[1] === 3) {
        view.setUint16(next + 2 * k, x, true);
      } else if (field[1] === 4) {
        view.setUint32(next + 4 * k, x, true);
      } else {
        view.setFloat64(next + 8 * k, x, true);
      }
    });
  });
  return out;
}
