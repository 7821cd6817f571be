import type { Agreement } from "../review/standing";

/** What several people said of a place, together. */
export type Settled =
  | { state: "known"; reference: number }
  /** Nobody looked; everybody who did could not tell; or no class has more voices than every other. */
  | { state: "open" | "unsure" | "disputed" };

/**
 * What a place is by all who looked at it: the class that more of them said than any other.
 * @param looks a label each; null where somebody could not tell
 */
export function settled(looks: readonly (number | null)[]): Settled {
  const told = looks.filter((label): label is number => label !== null);
  if (told.length === 0) {
    return { state: looks.length === 0 ? "open" : "unsure" };
  }
  const voices = new Map<number, number>();
  told.forEach((label) => voices.set(label, (voices.get(label) ?? 0) + 1));
  const [first, second] = [...voices].sort((a, b) => b[1] - a[1]);
  return second && second[1] === first![1]
    ? { state: "disputed" }
    : { state: "known", reference: first![0] };
}

/**
 * How far two people agree on the places of which both told a class: Cohen's kappa (Cohen 1960) over all
 * classes. Null where there is no such place, or chance alone explains all of it.
 */
export function agreementOn(pairs: readonly (readonly [number, number])[]): Agreement {
  const count = pairs.length;
  const alike = pairs.filter(([one, other]) => one === other).length;
  const labels = [...new Set(pairs.flat())];
  const byChance = labels.reduce((sum, label) => {
    const ones = pairs.filter(([one]) => one === label).length;
    const others = pairs.filter(([, other]) => other === label).length;
    return sum + (ones * others) / count ** 2;
  }, 0);
  const kappa = (alike / count - byChance) / (1 - byChance);
  return { patches: count, alike, kappa: Number.isFinite(kappa) ? kappa : null };
}
