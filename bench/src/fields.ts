import { fractal, gammaMean1, generator } from "@hindglance/world/random";

/** Speckled power of a smooth ground, side x side, linear. */
export function power(side: number, seed: number): Float32Array {
  const random = generator(seed);
  const table = Float32Array.from({ length: 1 << 16 }, () => gammaMean1(4.4, random));
  const coarse = smooth(side, 64, seed);
  const out = new Float32Array(side * side);
  for (let i = 0; i < out.length; i++) {
    out[i] = (coarse[i]! > 0.2 ? 0.01 : 0.08) * table[Math.floor(random() * 65536)]!;
  }
  return out;
}

/** Three labels in large shapes with some specks, as a change map has them. */
export function blobs(side: number): Uint8Array {
  return labelled(side, 0.003);
}
/** The same with many specks, as a change map has them before the minimum patch. */
export function sharpSpecks(side: number): Uint8Array {
  return labelled(side, 0.02);
}

function labelOf(value: number): number {
  if (value > 0.35) {
    return 1;
  }
  return value < -0.4 ? 2 : 0;
}

function labelled(side: number, specks: number): Uint8Array {
  const random = generator(5);
  const s = smooth(side, 40, 3);
  const out = new Uint8Array(side * side);
  for (let i = 0; i < out.length; i++) {
    out[i] = random() < specks ? 1 + Math.floor(random() * 2) : labelOf(s[i]!);
  }
  return out;
}

function smooth(side: number, featureCells: number, seed: number): Float32Array {
  const out = new Float32Array(side * side);
  for (let r = 0; r < side; r++) {
    for (let c = 0; c < side; c++) {
      out[r * side + c] = fractal(c / featureCells, r / featureCells, 3, seed);
    }
  }
  return out;
}
