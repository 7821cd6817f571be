import { decode as decodePng } from 'fast-png';
import jpeg from 'jpeg-js';
import { FormatError } from '../errors';
import type { ByteSource } from '../source';
import { type OpenRaster, type RasterBand, asReal, checkWindow } from './raster';

/** Pictures are decoded whole: so many cells at the most. */
const MAX_CELLS = 120e6, MAX_BYTES = 400 << 20;
export const looksLikePng = (h: Uint8Array): boolean => h[0] === 0x89 && h[1] === 0x50 && h[2] === 0x4e && h[3] === 0x47;
export const looksLikeJpeg = (h: Uint8Array): boolean => h[0] === 0xff && h[1] === 0xd8 && h[2] === 0xff;

/** Opens a PNG or a JPEG: a picture has no position by itself. A transparent cell is nodata. @throws FormatError */
export async function openPicture(source: ByteSource): Promise<OpenRaster> {
  if (source.size > MAX_BYTES) throw new FormatError('absurdSize', `The picture has ${Math.round(source.size / 1e6)} MB; pictures up to ${MAX_BYTES >> 20} MB can be read`, 'Save it as GeoTIFF.');
  const bytes = await source.read(0, source.size), png = looksLikePng(bytes), size = png ? sizeOfPng(bytes) : sizeOfJpeg(bytes);
  if (!(size.width > 0 && size.height > 0)) throw new FormatError('damaged', `The picture is ${size.width} by ${size.height} cells`);
  if (size.width * size.height > MAX_CELLS) throw new FormatError('absurdSize', `The picture has ${size.width} by ${size.height} cells, more than can be taken apart at once`, 'Save it as GeoTIFF with tiles.');
  let p: Picture;
  try { p = png ? fromPng(bytes) : fromJpeg(bytes); } catch (e) { throw e instanceof FormatError ? e : new FormatError('damaged', `The picture cannot be decoded (${(e as Error).message})`, 'Fetch or copy the file again.'); }
  const { width, height, channels, data, bits } = p, colours = channels === 2 ? 1 : channels === 4 ? 3 : channels, alpha = channels === 2 || channels === 4, names = colours === 3 ? ['red', 'green', 'blue'] : ['grey'];
  if (data.length < width * height * channels) throw new FormatError('truncated', 'The picture is cut off', 'Fetch or copy the file again.');
  const bands = Array.from({ length: colours }, (_v, k): RasterBand => ({ name: p.palette ? 'value' : names[k]!, unit: null, scale: 1, offset: 0 }));
  const readRaw = async (w: { col: number; row: number; width: number; height: number }): Promise<Float64Array[]> => {
    checkWindow(w, width, height);
    return bands.map((_b, k) => { const out = new Float64Array(w.width * w.height); for (let r = 0, o = 0; r < w.height; r++) for (let c = 0, i = ((w.row + r) * width + w.col) * channels; c < w.width; c++, i += channels, o++) out[o] = alpha && data[i + channels - 1] === 0 ? NaN : data[i + k]!; return out; });
  };
  return { width, height, grid: null, noPosition: new FormatError('noPosition', 'A picture does not say where on the ground it lies', 'Put its world file beside it, or give it a position by control points.'), verticalCode: null, bands, sampleType: `uint${bits}`, nodata: null, palette: p.palette, items: {}, dateTime: null, blockHeight: height, readRaw, read: async (w) => asReal(await readRaw(w), bands, null) };
}

interface Picture { width: number; height: number; channels: number; bits: 8 | 16; data: ArrayLike<number>; palette: string[] | null }
function fromPng(b: Uint8Array): Picture {
  const p = decodePng(b, { checkCrc: true }), bits = p.depth === 16 ? 16 : 8;
  if (p.depth >= 8) return { width: p.width, height: p.height, channels: p.channels, bits, data: p.data, palette: p.palette ? p.palette.map((c) => `#${[...c].slice(0, 3).map((v) => v.toString(16).padStart(2, '0')).join('')}`) : null };
  // Cells of less than a byte lie packed in rows that begin on a byte.
  const per = 8 / p.depth, row = Math.ceil(p.width / per), out = new Uint8Array(p.width * p.height), mask = (1 << p.depth) - 1;
  for (let r = 0; r < p.height; r++) for (let c = 0; c < p.width; c++) out[r * p.width + c] = (p.data[r * row + Math.floor(c / per)]! >> (8 - p.depth - (c % per) * p.depth)) & mask;
  return { width: p.width, height: p.height, channels: 1, bits: 8, data: out, palette: p.palette ? p.palette.map((c) => `#${[...c].slice(0, 3).map((v) => v.toString(16).padStart(2, '0')).join('')}`) : null };
}
function fromJpeg(b: Uint8Array): Picture {
  const p = jpeg.decode(b, { useTArray: true, formatAsRGBA: false, maxResolutionInMP: MAX_CELLS / 1e6, maxMemoryUsageInMB: 2048, tolerantDecoding: false });
  return { width: p.width, height: p.height, channels: p.data.length / (p.width * p.height), bits: 8, data: p.data, palette: null };
}
function sizeOfPng(b: Uint8Array): { width: number; height: number } { if (b.length < 33) throw new FormatError('truncated', 'The picture is cut off', 'Fetch or copy the file again.'); const v = new DataView(b.buffer, b.byteOffset, b.byteLength); return { width: v.getUint32(16), height: v.getUint32(20) }; }
function sizeOfJpeg(b: Uint8Array): { width: number; height: number } {
  const v = new DataView(b.buffer, b.byteOffset, b.byteLength);
  for (let p = 2; p + 9 < b.length; ) { const m = v.getUint16(p); if (m >= 0xffc0 && m <= 0xffcf && m !== 0xffc4 && m !== 0xffc8 && m !== 0xffcc) return { height: v.getUint16(p + 5), width: v.getUint16(p + 7) }; if ((m & 0xff00) !== 0xff00) break; p += 2 + v.getUint16(p + 2); }
  throw new FormatError('damaged', 'The picture does not say how large it is', 'Fetch or copy the file again.');
}
