import openjpeg from "@cornerstonejs/codec-openjpeg/wasmjs";

/**
 * A JPEG 2000 image of whole numbers: `cells` gives component after component, row by row. Tiles
 * are squares of `tile` cells, at least 64 and a power of two.
 */
export interface Jp2Image {
  width: number;
  height: number;
  bits: 8 | 16;
  tile: number;
  cells: Uint16Array[];
  signed?: boolean;
}

/**
 * Codestream of an image, lossless. Each tile is compressed by itself at the origin and put into
 * its place: with so few decompositions that its
 * corner falls on a code block at every level, its blocks there are the same.
 */
export async function buildCodestream(image: Jp2Image): Promise<Uint8Array> {
  const { J2KEncoder } = await openjpeg({ print: () => {}, printErr: () => {} });
  const { width, height, bits, tile, cells } = image;
  const across = Math.ceil(width / tile);
  const down = Math.ceil(height / tile);
  const parts: Uint8Array[] = [];
  let header: Uint8Array | null = null;
  for (let t = 0; t < across * down; t++) {
    const col = (t % across) * tile;
    const row = Math.floor(t / across) * tile;
    const w = Math.min(tile, width - col);
    const h = Math.min(tile, height - row);
    const j2KEncoder = new J2KEncoder();
    const bytes = new Uint8Array(w * h * cells.length * (bits / 8));
    const view = new DataView(bytes.buffer);
    for (let r = 0, offset = 0; r < h; r++) {
      for (let c = 0; c < w; c++) {
        for (const band of cells) {
          const x = band[(row + r) * width + col + c]!;
          if (bits === 16) {
            view.setUint16(offset, x, true);
          } else {
            view.setUint8(offset, x);
          }
          offset += bits / 8;
        }
      }
    }
    j2KEncoder
      .getDecodedBuffer({
        width: w,
        height: h,
        bitsPerSample: bits,
        componentCount: cells.length,
        isSigned: image.signed ?? false,
        isUsingColorTransform: false,
      })
      .set(bytes);
    j2KEncoder.setDecompositions(Math.max(0, Math.min(5, Math.log2(tile / 64))));
    j2KEncoder.setQuality(true, 0);
    j2KEncoder.encode();
    const out = Uint8Array.from(j2KEncoder.getEncodedBuffer());
    const sot = markerAt(out, 0xff90);
    j2KEncoder.delete();
    header ??= out.slice(0, sot);
    const part = out.slice(sot, out.length - 2);
    const pv = new DataView(part.buffer);
    pv.setUint16(4, t);
    pv.setUint32(6, part.length);
    parts.push(part);
  }
  const siz = new DataView(header!.buffer, markerAt(header!, 0xff51) + 6);
  [width, height, 0, 0, tile, tile, 0, 0].forEach((x, k) => siz.setUint32(4 * k, x));
  return join([header!, ...parts, Uint8Array.of(0xff, 0xd9)]);
}
function markerAt(b: Uint8Array, marker: number): number {
  const view = new DataView(b.buffer, b.byteOffset, b.byteLength);
  for (let position = 2; position + 4 <= b.length; position += 2 + view.getUint16(position + 2)) {
    if (view.getUint16(position) === marker) {
      return position;
    }
  }
  throw new Error(`Marker ${marker.toString(16)} is not there`);
}
const join = (all: Uint8Array[]): Uint8Array => {
  const out = new Uint8Array(all.reduce((s, a) => s + a.length, 0));
  let offset = 0;
  for (const a of all) {
    out.set(a, offset);
    offset += a.length;
  }
  return out;
};

const box = (kind: string, ...content: Uint8Array[]): Uint8Array => {
  const inside = join(content);
  const out = new Uint8Array(8 + inside.length);
  new DataView(out.buffer).setUint32(0, out.length);
  out.set(
    [...kind].map((c) => c.charCodeAt(0)),
    4,
  );
  out.set(inside, 8);
  return out;
};
/**
 * The same in the boxes of a JP2 file; `gml`: text of a GML box, `geo`: a TIFF with the position.
 */
export async function buildJp2(
  image: Jp2Image,
  where: { gml?: string; geo?: Uint8Array } = {},
): Promise<Uint8Array> {
  const ihdr = new Uint8Array(14);
  const view = new DataView(ihdr.buffer);
  const text = (s: string) => new TextEncoder().encode(s);
  view.setUint32(0, image.height);
  view.setUint32(4, image.width);
  view.setUint16(8, image.cells.length);
  view.setUint8(10, image.bits - 1);
  view.setUint8(11, 7);
  return join([
    box("jP  ", Uint8Array.of(0x0d, 0x0a, 0x87, 0x0a)),
    box("ftyp", text("jp2 "), new Uint8Array(4), text("jp2 ")),
    box("jp2h", box("ihdr", ihdr), box("colr", Uint8Array.of(1, 0, 0, 0, 0, 0, 17))),
    ...(where.gml
      ? [
          box(
            "asoc",
            box("lbl ", text("gml.data")),
            box("asoc", box("lbl ", text("gml.root-instance")), box("xml ", text(where.gml))),
          ),
        ]
      : []),
    ...(where.geo
      ? [
          box(
            "uuid",
            Uint8Array.from(
              "b14bf8bd083d4b43a5ae8cd7d5a6ce03".match(/../g)!.map((h) => parseInt(h, 16)),
            ),
            where.geo,
          ),
        ]
      : []),
    box("jp2c", await buildCodestream(image)),
  ]);
}
