import * as yup from 'yup';
import { InputError } from '../../errors';
import { DARK_BINS, type DarkMethod, darkValue, subtractDark } from '../../optical/darkObject';
import { brightCloud, dilate, maskByQuality, qualityMask, type QualityName } from '../../optical/quality';
import { bandOfColour } from '../../optical/wavelengths';
import { addToHistogram, emptyHistogram } from '../../raster/histogram';
import type { BandInfo, ImageInfo } from '../image';
import type { Step, StepState } from '../step';
import { cellByCell, floats, withHalo } from './common';

const isLight = (b: BandInfo) => b.role === 'dn' || b.role === 'reflectance';

export interface MaskParams { cloud: boolean; shadow: boolean; cirrus: boolean; snow: boolean; water: boolean; growCells: number }
/** Bands of light become nodata where the quality band, or brightness where there is none, says that the ground is not seen. */
export const opticalMaskStep: Step<MaskParams> = {
  kind: 'optical.mask', version: 1, title: 'Mask', help: 'Fill, cloud, shadow and what else is chosen become nodata: by the quality band, by brightness where there is none.', inputs: { min: 1, max: 1 },
  params: yup.object({ cloud: yup.boolean().required(), shadow: yup.boolean().required(), cirrus: yup.boolean().required(), snow: yup.boolean().required(), water: yup.boolean().required(), growCells: yup.number().integer().min(0).max(32).required() }).noUnknown(),
  describe([a], p) {
    if (!a!.bands.some(isLight)) throw new InputError('Mask needs the bands of an optical scene', 'inputs');
    const quality = a!.bands.some((b) => b.role === 'quality'), more = (['shadow', 'cirrus', 'snow', 'water'] as const).find((k) => p[k]);
    if (!quality && more) throw new InputError(`Without a quality band ${more} cannot be told`, more, 'Only bright cloud can be found by brightness.');
    if (!quality && p.cloud && (['blue', 'green', 'red'] as const).some((c) => bandOfColour(a!.bands, c) < 0)) throw new InputError('Cloud is found by brightness in blue, green and red, and the scene lacks one of them', 'cloud');
    if (!quality && p.cloud && a!.bands.some((b) => b.role === 'dn')) throw new InputError('Without a quality band cloud is found on reflectance, not on digital numbers', 'cloud', 'Use Reflectance before Mask.');
    return a!;
  },
  reach: (w, ctx) => withHalo(w, ctx, haloOf(ctx.params, ctx.level)),
  compute([a], out, ctx) {
    const { params: p } = ctx, info = ctx.base[0]!, halo = haloOf(p, ctx.level), w = out.window, W = w.width + 2 * halo, H = w.height + 2 * halo, n = W * H, src = floats(a!), q = info.bands.findIndex((b) => b.role === 'quality'), masked = new Uint8Array(n), gone = new Uint8Array(w.width * w.height), fill = new Uint8Array(n);
    if (q >= 0) {
      const names: QualityName[] = [...(p.cloud ? (['cloud', 'dilatedCloud'] as const) : []), ...(p.shadow ? (['shadow'] as const) : []), ...(p.cirrus ? (['cirrus'] as const) : []), ...(p.snow ? (['snow'] as const) : []), ...(p.water ? (['water'] as const) : [])];
      maskByQuality(src[q]!, qualityMask(names), masked); maskByQuality(src[q]!, qualityMask(['fill']), fill);
    } else if (p.cloud) brightCloud(...(['blue', 'green', 'red'] as const).map((c) => src[bandOfColour(info.bands, c)]!) as [Float32Array, Float32Array, Float32Array], null, masked);
    dilate(masked, w.width, w.height, halo, gone);
    info.bands.forEach((b, k) => {
      const dst = floats(out)[k]!;
      for (let r = 0; r < w.height; r++) for (let c = 0; c < w.width; c++) { const s = (r + halo) * W + c + halo, i = r * w.width + c; dst[i] = isLight(b) && (gone[i] || fill[s]) ? NaN : src[k]![s]!; }
    });
  },
};
const haloOf = (p: MaskParams, level: number): number => Math.ceil(p.growCells / 2 ** level);

interface DarkState extends StepState { counts: Float64Array; cells: number }
/** Light bands on which a dark object is looked for. */
const lightBands = (i: ImageInfo): number[] => i.bands.flatMap((b, k) => (b.role === 'reflectance' ? [k] : []));

/** Reflectance of the ground: the light of the air is taken off by the darkest ground of the scene. */
export const surfaceStep: Step<{ method: DarkMethod }, DarkState> = {
  kind: 'optical.surface', version: 1, title: 'Surface', help: 'Reflectance of the ground by the darkest cells of the scene (Chavez 1988), with the light lost on its way down where asked (COST, Chavez 1996).', inputs: { min: 1, max: 1 },
  params: yup.object({ method: yup.string().oneOf(['darkObject', 'cost'] as const).required() }).noUnknown() as yup.ObjectSchema<{ method: DarkMethod }>,
  describe([a], p) {
    if (lightBands(a!).length === 0) throw new InputError('Surface needs reflectance at the top of the atmosphere', 'inputs', 'Use Reflectance before it.');
    if (a!.optical?.level === 2) throw new InputError('These numbers are surface reflectance already: the air has been taken out by their maker', 'inputs', 'Skip this step.');
    const blind = lightBands(a!).find((k) => a!.bands[k]!.wavelengthNm === undefined);
    if (p.method === 'cost' && blind !== undefined) throw new InputError(`It is not known at which wavelength band ${a!.bands[blind]!.name} lies`, 'method');
    if (p.method === 'cost' && !(a!.optical?.sunElevationDeg != null)) throw new InputError('The metadata do not say how high the sun stood', 'method', 'Use the method without transmittance.');
    return a!;
  },
  overview: true,
  gather: {
    async strip(ask, strip, ctx) {
      const b = await ask.read(0, strip), bands = lightBands(ctx.base[0]!), counts = new Float64Array(bands.length * (DARK_BINS.bins + 1));
      bands.forEach((k, j) => { const h = emptyHistogram(DARK_BINS.min, DARK_BINS.max, DARK_BINS.bins); addToHistogram(h, b.bands[k]!); counts.set(h.counts, j * (DARK_BINS.bins + 1)); counts[j * (DARK_BINS.bins + 1) + DARK_BINS.bins] = h.below; });
      return { counts, cells: strip.width * strip.height };
    },
    merge(parts) {
      const all = parts as DarkState[], counts = new Float64Array(all[0]!.counts.length);
      for (const p of all) p.counts.forEach((v, i) => { counts[i]! += v; });
      return { counts, cells: all.reduce((n, p) => n + p.cells, 0) };
    },
  },
  reach: cellByCell,
  compute([a], out, ctx) {
    const dark = darkValues(ctx.base[0]!, ctx.state!), info = ctx.base[0]!;
    info.bands.forEach((b, k) => {
      const d = dark.get(k), src = floats(a!)[k]!, dst = floats(out)[k]!;
      if (d === undefined || Number.isNaN(d)) dst.set(src); else subtractDark(src, d, ctx.params.method, info.optical!.sunElevationDeg ?? 90, b.wavelengthNm ?? 0, dst);
    });
  },
};

/** Dark values by band out of what was gathered. */
export function darkValues(i: ImageInfo, s: DarkState): Map<number, number> {
  return new Map(lightBands(i).map((k, j) => {
    const at = j * (DARK_BINS.bins + 1), h = { min: DARK_BINS.min, max: DARK_BINS.max, counts: [...s.counts.subarray(at, at + DARK_BINS.bins)], below: s.counts[at + DARK_BINS.bins]!, above: 0 };
    return [k, darkValue(h)];
  }));
}
