/** Reproducible pseudo-random numbers in [0, 1): mulberry32, a public-domain 32-bit generator. */
export function generator(seed: number): () => number {
  let a = seed >>> 0;
  return () => {
    a = (a + 0x6d2b79f5) >>> 0;
    let t = Math.imul(a ^ (a >>> 15), a | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** Number in [0, 1) that belongs to a lattice point. */
export function hash2(x: number, y: number, seed: number): number {
  let h = Math.imul(x, 374761393) + Math.imul(y, 668265263) + Math.imul(seed, 1274126177);
  h = Math.imul(h ^ (h >>> 13), 1274126177);
  h = Math.imul(h ^ (h >>> 16), 2246822519);
  return ((h ^ (h >>> 15)) >>> 0) / 4294967296;
}

/** Smooth noise in [−1, 1] with features about one unit wide. */
export function noise(x: number, y: number, seed: number): number {
  const i = Math.floor(x);
  const j = Math.floor(y);
  const across = x - i;
  const down = y - j;
  const s = across * across * across * (across * (across * 6 - 15) + 10);
  const t = down * down * down * (down * (down * 6 - 15) + 10);
  const a = hash2(i, j, seed);
  const b = hash2(i + 1, j, seed);
  const c = hash2(i, j + 1, seed);
  const opposite = hash2(i + 1, j + 1, seed);
  return 2 * ((a + (b - a) * s) * (1 - t) + (c + (opposite - c) * s) * t) - 1;
}

/** Sum of octaves of noise, each half as strong and half as wide; about [−1, 1]. */
export function fractal(x: number, y: number, octaves: number, seed: number): number {
  let sum = 0;
  let amplitude = 0.5;
  let frequency = 1;
  for (let k = 0; k < octaves; k++) {
    sum += amplitude * noise(x * frequency, y * frequency, seed + k * 101);
    amplitude /= 2;
    frequency *= 2.03;
  }
  return sum * 1.4;
}

/** Gamma deviate of mean 1 and variance 1/shape. Source: Marsaglia & Tsang 2000; shape ≥ 1. */
export function gammaMean1(shape: number, random: () => number): number {
  const delta = shape - 1 / 3;
  const c = 1 / Math.sqrt(9 * delta);
  for (;;) {
    // Normal deviate by Box and Muller.
    const x = Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
    const root = 1 + c * x;
    const value = root * root * root;
    if (value <= 0) {
      continue;
    }
    const chance = 1 - random();
    const squared = x * x;
    // Their squeeze: most are taken without a logarithm.
    if (
      chance < 1 - 0.0331 * squared * squared ||
      Math.log(chance) < 0.5 * squared + delta - delta * value + delta * Math.log(value)
    ) {
      return (delta * value) / shape;
    }
  }
}
