import { type Grid, type Window, toMap } from "../grid/grid";
import { Workspace } from "../wasm/kernels";
import {
  type LutVector,
  type PolarisationLuts,
  azimuthFactor,
  expandVector,
  vectorsAround,
} from "./luts";

export type Radiometry = "none" | "beta" | "sigma" | "gamma";

/**
 * Calibrated power of one band: (DN² − η)/A², A and η bilinear in line and pixel, η = range vector
 * x azimuth factor. "none" leaves the
 * division out. Negative power after noise is kept: it averages out. Source: public product
 * specification of SAFE ground-range
 * products, radiometric calibration and thermal de-noising.
 *
 * @param dn amplitudes of a window of `grid` (a cut, or a level, of the product's frame); NaN =
 * nodata; @param out the same size
 */
export function calibrate(
  dn: Float32Array,
  grid: Grid,
  w: Window,
  luts: PolarisationLuts,
  to: Radiometry,
  removeNoise: boolean,
  out: Float32Array,
): void {
  const space = Workspace.begin();
  const n = w.width;
  const row = space.take(n * 4);
  const result = space.take(n * 4);
  const pixels = Float64Array.from(
    { length: n },
    (_v, c) => toMap(grid, w.col + c + 0.5, 0)[0] - 0.5,
  );
  const lineOf = (r: number) => toMap(grid, 0, w.row + r + 0.5)[1] - 0.5;
  const gain = new Ends(space, to === "none" ? null : luts[to], pixels, 1);
  const noise = new Ends(space, removeNoise ? luts.noiseRange : null, pixels, 0);
  // Azimuth factors may differ between parts of a line (sub-swaths): the row is then done in
  // pieces.
  const edges = removeNoise
    ? [
        ...new Set(
          luts.noiseAzimuth.flatMap((eachNoise) => [
            eachNoise.firstSample,
            eachNoise.lastSample + 1,
          ]),
        ),
      ]
        .map((s) => pixels.findIndex((pixel) => pixel >= s - 0.5))
        .filter((c) => c > 0 && c < n)
    : [];
  const cuts = [0, ...edges.sort((a, b) => a - b), n];
  for (let r = 0; r < w.height; r++) {
    const line = lineOf(r);
    const gainHere = gain.at(line);
    const e = noise.at(line);
    space.f32(row, n).set(dn.subarray(r * n, (r + 1) * n));
    for (let k = 0; k + 1 < cuts.length; k++) {
      const from = cuts[k]!;
      const count = cuts[k + 1]! - from;
      const scale = removeNoise
        ? azimuthFactor(luts.noiseAzimuth, line, pixels[from + (count >> 1)]!)
        : 0;
      space.kernels.calibrateRow(
        row + from * 4,
        gain.address(gainHere.a) + from * 4,
        gain.address(gainHere.b) + from * 4,
        noise.address(e.a) + from * 4,
        noise.address(e.b) + from * 4,
        gainHere.share,
        e.share,
        scale,
        result + from * 4,
        count,
      );
    }
    out.set(space.f32(result, n), r * n);
  }
}

/** The vectors of a table expanded to a window's columns, in the workspace, each once. */
class Ends {
  private readonly places: number[];
  constructor(
    space: Workspace,
    private readonly vectors: readonly LutVector[] | null,
    pixels: Float64Array,
    constant: number,
  ) {
    const n = pixels.length;
    const all = vectors ?? [{ line: 0, pixels: [0], values: [constant] }];
    const expanded = all.map((lutVector) => {
      const a = new Float32Array(n);
      expandVector(lutVector, pixels, a);
      return a;
    });
    this.places = expanded.map((a) => {
      const pointer = space.take(n * 4);
      space.f32(pointer, n).set(a);
      return pointer;
    });
  }
  at(line: number): { a: number; b: number; share: number } {
    return this.vectors ? vectorsAround(this.vectors, line) : { a: 0, b: 0, share: 0 };
  }
  address(k: number): number {
    return this.places[k]!;
  }
}
