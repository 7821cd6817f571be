import type { Affine, Grid, Window } from "@hindglance/core/grid/grid";
import type { FormatError } from "../errors";
import type { GroundPoint } from "@hindglance/core/align/groundPoint";

export interface RasterBand {
  name: string | null;
  unit: string | null;
  scale: number;
  offset: number;
}

/** An image file that is open for reading. Overviews inside the file are not used. */
export interface OpenRaster {
  readonly width: number;
  readonly height: number;
  /** Position, or null with the reason in `noPosition`. */
  readonly grid: Grid | null;
  readonly noPosition: FormatError | null;
  /**
   * Transform of a file that does not name the system of its coordinates, or names one that is not
   * known.
   */
  readonly transform?: Affine | null;
  /** Places that are known on the ground, of an image that has no grid. */
  readonly groundPoints?: readonly GroundPoint[];
  /** EPSG code of the vertical reference, where the file names one. */
  readonly verticalCode: number | null;
  readonly bands: RasterBand[];
  /** Kind of number in the file, for people: "float32", "uint16". */
  readonly sampleType: string;
  readonly nodata: number | null;
  /** Colours of a palette image, by value. */
  readonly palette: string[] | null;
  readonly items: Record<string, string>;
  /** Date and time as the file has them. */
  readonly dateTime: string | null;
  /** Rows that are decoded together. */
  readonly blockHeight: number;
  /**
   * Real values of a window: nodata is NaN, scale and offset are applied. One array a band, row by
   * row.
   * @throws FormatError when the file is damaged there
   */
  read(w: Window, signal?: AbortSignal): Promise<Float32Array[]>;
  /** The same without scale, offset and nodata, as they stand in the file. */
  readRaw(w: Window, signal?: AbortSignal): Promise<Float64Array[]>;
}

/**
 * Raw values as real ones: nodata and what is infinite become NaN, scale and offset are applied. `single`: nodata is
 * compared as a 32-bit value.
 */
export function asReal(
  raw: readonly Float64Array[],
  bands: readonly RasterBand[],
  nodata: number | null,
  single = false,
): Float32Array[] {
  // Files keep nodata as text; a 32-bit value written as text is compared as a 32-bit value.
  let fill: number | null;
  if (nodata === null || Number.isNaN(nodata)) {
    fill = null;
  } else if (single) {
    fill = Math.fround(nodata);
  } else {
    fill = nodata;
  }
  return raw.map((a, i) => {
    const { scale, offset } = bands[i]!;
    const dst = new Float32Array(a.length);
    for (let k = 0; k < a.length; k++) {
      const value = a[k]!;
      // Neither infinity nor what it gives is a value.
      const real = value === fill ? NaN : value * scale + offset;
      dst[k] = Number.isFinite(Math.fround(real)) ? real : NaN;
    }
    return dst;
  });
}

/** Refuses windows that reach past an image. */
export function checkWindow(w: Window, width: number, height: number): void {
  if (w.col < 0 || w.row < 0 || w.col + w.width > width || w.row + w.height > height) {
    throw new RangeError(
      `Window ${w.col},${w.row} ${w.width}x${w.height} reaches outside ${width}x${height}`,
    );
  }
}
