import { randomFrom } from "../classify/random";

/** Normal deviates of mean nought and deviation one, the same for the same seed (Box & Muller 1958). */
export function normalFrom(seed: number): () => number {
  const random = randomFrom(seed);
  return () => Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
}
