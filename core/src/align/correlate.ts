import FFT from "fft.js";

// Looked up once, out of the inner loops.
const { abs, cos: cosine, sin: sine, sqrt, PI } = Math;

/**
 * Where what window a shows lies in window b: a cell at (col, row) of a is found at (col + dCol,
 * row + dRow) of b.
 */
export interface WindowShift {
  dCol: number;
  dRow: number;
  /** Height of the peak over the highest one elsewhere: 1 is chance. */
  ratio: number;
  /** Correlation of both windows once one is moved by whole cells, −1 to 1. */
  similarity: number;
}

/** Share of a window that may be without values. */
const MOST_EMPTY = 0.1;
/** Spread of the frequencies that count, cycles a cell: finer ones are noise and resampling. */
const SIGMA = 0.18;
/** Frequencies of less weight than this show the noise, and how many times it counts. */
const FINE = 0.1;
const NOISE = 4;
/** Cells around the peak that belong to it. */
const PEAK_CELLS = 4;
/** Shifts beyond this share of the window leave too little in common. */
const MOST_SHIFT = 0.38;

/**
 * Sub-cell shift between two square windows by phase correlation: both less their mean under a Hann
 * window, the cross spectrum made of its phases and
 * weighted by a bell and by what stands above the noise, its peak found to a hundredth of a cell by
 * evaluating the inverse transform between cells.
 * Source: Kuglin & Hines 1975; the refinement by a matrix transform after Guizar-Sicairos, Thurman
 * & Fienup 2008.
 * Buffers are kept, so that one Correlator serves many windows.
 */
export class Correlator {
  private readonly fft: FFT;
  private readonly hann: Float64Array;
  private readonly weight: Float64Array;
  private readonly a: Float64Array;
  private readonly b: Float64Array;
  private readonly c: Float64Array;
  private readonly line: Float64Array;
  private readonly lineOut: Float64Array;

  /** @param size cells a side, a power of two */
  constructor(readonly size: number) {
    const n = size;
    this.fft = new FFT(n);
    this.hann = Float64Array.from(
      { length: n },
      (_v, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / n),
    );
    this.weight = new Float64Array(n * n);
    for (let value = 0; value < n; value++) {
      for (let column = 0; column < n; column++) {
        const fx = freq(column, n);
        const fy = freq(value, n);
        this.weight[value * n + column] =
          column || value ? Math.exp(-(fx * fx + fy * fy) / (2 * SIGMA * SIGMA)) : 0;
      }
    }
    this.a = new Float64Array(2 * n * n);
    this.b = new Float64Array(2 * n * n);
    this.c = new Float64Array(2 * n * n);
    this.line = new Float64Array(2 * n);
    this.lineOut = new Float64Array(2 * n);
  }

  /**
   * @param a, b size x size cells, NaN = nodata; null where one of them is empty or without any
   * texture
   */
  shift(a: Float32Array, b: Float32Array): WindowShift | null {
    const n = this.size;
    const { c } = this;
    if (!this.load(a, this.a) || !this.load(b, this.b)) {
      return null;
    }
    this.transform(this.a, false);
    this.transform(this.b, false);
    // conj(A)·B, each frequency by its phase, as far as it stands above the noise that the finest
    // ones show.
    let floor = 0;
    let fine = 0;
    for (let i = 0; i < n * n; i++) {
      const ar = this.a[2 * i]!;
      const ai = this.a[2 * i + 1]!;
      const br = this.b[2 * i]!;
      const bi = this.b[2 * i + 1]!;
      const re = ar * br + ai * bi;
      const im = ar * bi - ai * br;
      c[2 * i] = re;
      c[2 * i + 1] = im;
      if (this.weight[i]! < FINE) {
        floor += sqrt(re * re + im * im);
        fine++;
      }
    }
    floor *= NOISE / fine;
    // Between cells strong frequencies tell more than weak ones: there they keep the root of their
    // size.
    const cross = new Float64Array(2 * n * n);
    for (let i = 0; i < n * n; i++) {
      const size = sqrt(c[2 * i]! ** 2 + c[2 * i + 1]! ** 2);
      const w = size > 0 ? this.weight[i]! / (size + floor) : 0;
      const strong = w * sqrt(size);
      cross[2 * i] = c[2 * i]! * strong;
      cross[2 * i + 1] = c[2 * i + 1]! * strong;
      c[2 * i]! *= w;
      c[2 * i + 1]! *= w;
    }
    this.transform(c, true);
    let best = -Infinity;
    let at = 0;
    const most = Math.floor(MOST_SHIFT * n);
    for (let i = 0; i < n * n; i++) {
      if (c[2 * i]! > best) {
        best = c[2 * i]!;
        at = i;
      }
    }
    const col = signed(at % n, n);
    const row = signed(Math.floor(at / n), n);
    if (!(best > 0) || abs(col) > most || abs(row) > most) {
      return null;
    }
    let second = 0;
    for (let i = 0; i < n * n; i++) {
      const dc = abs(signed(((i % n) - (at % n) + n) % n, n));
      const dr = abs(signed((Math.floor(i / n) - Math.floor(at / n) + n) % n, n));
      if ((dc > PEAK_CELLS || dr > PEAK_CELLS) && c[2 * i]! > second) {
        second = c[2 * i]!;
      }
    }
    let [x, y] = [col, row];
    for (const step of [0.1, 0.01]) {
      [x, y] = this.finest(cross, x, y, step);
    }
    return {
      dCol: x,
      dRow: y,
      ratio: second > 0 ? best / second : Infinity,
      similarity: correlation(a, b, n, col, row),
    };
  }

  /** Window less its mean, under the Hann window; false where it has no values or no texture. */
  private load(src: Float32Array, to: Float64Array): boolean {
    const n = this.size;
    let sum = 0;
    let cells = 0;
    for (let i = 0; i < n * n; i++) {
      const value = src[i]!;
      if (value === value) {
        sum += value;
        cells++;
      }
    }
    if (cells < (1 - MOST_EMPTY) * n * n) {
      return false;
    }
    const mean = sum / cells;
    let energy = 0;
    for (let r = 0, i = 0; r < n; r++) {
      for (let k = 0; k < n; k++, i++) {
        const value = src[i]!;
        const centred = value === value ? value - mean : 0;
        energy += centred * centred;
        to[2 * i] = centred * this.hann[r]! * this.hann[k]!;
        to[2 * i + 1] = 0;
      }
    }
    return energy > 1e-12 * Math.max(1, mean * mean) * n * n;
  }

  /** Two-dimensional transform in place. */
  private transform(z: Float64Array, inverse: boolean): void {
    const n = this.size;
    const { line, lineOut } = this;
    const go = inverse
      ? () => this.fft.inverseTransform(lineOut, line)
      : () => this.fft.transform(lineOut, line);
    for (let r = 0; r < n; r++) {
      line.set(z.subarray(2 * r * n, 2 * (r + 1) * n));
      go();
      z.set(lineOut, 2 * r * n);
    }
    for (let k = 0; k < n; k++) {
      for (let r = 0; r < n; r++) {
        line[2 * r] = z[2 * (r * n + k)]!;
        line[2 * r + 1] = z[2 * (r * n + k) + 1]!;
      }
      go();
      for (let r = 0; r < n; r++) {
        z[2 * (r * n + k)] = lineOut[2 * r]!;
        z[2 * (r * n + k) + 1] = lineOut[2 * r + 1]!;
      }
    }
  }

  /** Highest place of the inverse transform on a grid of `step` within ten steps of (x0, y0). */
  private finest(cross: Float64Array, x0: number, y0: number, step: number): [number, number] {
    const n = this.size;
    const m = 21;
    const rowRe = new Float64Array(m * n);
    const rowIm = new Float64Array(m * n);
    for (let j = 0; j < m; j++) {
      const x = x0 + (j - 10) * step;
      for (let column = 0; column < n; column++) {
        const phase = 2 * PI * freq(column, n) * x;
        const cos = cosine(phase);
        const sin = sine(phase);
        for (let value = 0; value < n; value++) {
          const i = 2 * (value * n + column);
          const re = cross[i]!;
          const im = cross[i + 1]!;
          rowRe[j * n + value]! += re * cos - im * sin;
          rowIm[j * n + value]! += re * sin + im * cos;
        }
      }
    }
    let best = -Infinity;
    let at: [number, number] = [x0, y0];
    for (let k = 0; k < m; k++) {
      const y = y0 + (k - 10) * step;
      const cos = Float64Array.from({ length: n }, (_v, value) =>
        cosine(2 * PI * freq(value, n) * y),
      );
      const sin = Float64Array.from({ length: n }, (_v, value) =>
        sine(2 * PI * freq(value, n) * y),
      );
      for (let j = 0; j < m; j++) {
        let s = 0;
        for (let value = 0; value < n; value++) {
          s += rowRe[j * n + value]! * cos[value]! - rowIm[j * n + value]! * sin[value]!;
        }
        if (s > best) {
          best = s;
          at = [x0 + (j - 10) * step, y];
        }
      }
    }
    return at;
  }
}

/**
 * Frequency of a term in cycles a cell; that of Nyquist counts as none, since its sign is not
 * known.
 */
const freq = (k: number, n: number): number => (2 * k === n ? 0 : signed(k, n) / n);
const signed = (k: number, n: number): number => (k > n / 2 ? k - n : k);

function correlation(a: Float32Array, b: Float32Array, n: number, dc: number, dr: number): number {
  let k = 0;
  let sa = 0;
  let sb = 0;
  let saa = 0;
  let sbb = 0;
  let sab = 0;
  for (let r = Math.max(0, -dr); r < Math.min(n, n - dr); r++) {
    for (let c = Math.max(0, -dc); c < Math.min(n, n - dc); c++) {
      const x = a[r * n + c]!;
      const y = b[(r + dr) * n + c + dc]!;
      if (x + y !== x + y) {
        continue;
      }
      k++;
      sa += x;
      sb += y;
      saa += x * x;
      sbb += y * y;
      sab += x * y;
    }
  }
  const va = saa - (sa * sa) / k;
  const vb = sbb - (sb * sb) / k;
  return va > 0 && vb > 0 ? (sab - (sa * sb) / k) / Math.sqrt(va * vb) : 0;
}
