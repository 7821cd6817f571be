import type { BandSaid } from "./auxXml";
import { type OpenRaster, asReal } from "./raster";

/** What is said of the bands of an image beside it, in their order. */
export type Stated = (BandSaid | null)[];

/**
 * What a text beside an image says of its bands that the image does not say itself; null where that
 * is nothing.
 */
export function statedOf(
  { bands, nodata }: OpenRaster,
  said: ReadonlyMap<number, BandSaid>,
): Stated | null {
  const stated = bands.map((_band, k) => said.get(k) ?? null);
  const isNew = bands.some(({ scale, offset }, k) => {
    const one = stated[k];
    return (
      (one?.nodata ?? nodata) !== nodata ||
      (one?.scale ?? scale) !== scale ||
      (one?.offset ?? offset) !== offset
    );
  });
  return isNew ? stated : null;
}

/** An image whose numbers stand for what is said beside it: nodata, scale and offset of its bands. */
export function withStated(image: OpenRaster, stated: Stated): OpenRaster {
  const isSingle = image.sampleType === "float32";
  const bands = image.bands.map((band, k) => ({
    ...band,
    scale: stated[k]?.scale ?? band.scale,
    offset: stated[k]?.offset ?? band.offset,
  }));
  return {
    ...image,
    bands,
    nodata: stated[0]?.nodata ?? image.nodata,
    read: async (window, signal) => {
      const raw = await image.readRaw(window, signal);
      return raw.flatMap((cells, k) =>
        asReal([cells], [bands[k]!], stated[k]?.nodata ?? image.nodata, isSingle),
      );
    },
  };
}
