import { FormatError } from "../errors";
import { looksLikeJp2, openJp2 } from "../jp2/readJp2";
import type { ByteSource } from "../source";
import { looksLikeTiff, openTiff } from "../tiff/readTiff";
import { looksLikeJpeg, looksLikePng, openPicture } from "./picture";
import type { OpenRaster } from "./raster";

/**
 * Opens an image file by what it begins with, whatever its name: TIFF, JPEG 2000, PNG or JPEG.
 * @throws FormatError
 */
export async function openRaster(source: ByteSource, cacheBytes?: number): Promise<OpenRaster> {
  if (source.size === 0) {
    throw new FormatError("notTiff", "The file is empty");
  }
  const head = await source.read(0, Math.min(16, source.size));
  if (looksLikeJp2(head)) {
    return openJp2(source, cacheBytes);
  }
  if (looksLikePng(head) || looksLikeJpeg(head)) {
    return openPicture(source);
  }
  if (!looksLikeTiff(head)) {
    throw new FormatError(
      "notTiff",
      "This is not a TIFF, JPEG 2000, PNG or JPEG: it does not begin like one",
      "Images are read in these forms; products as zip or folder with their metadata.",
    );
  }
  return openTiff(source, cacheBytes);
}
