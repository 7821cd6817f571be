/** What a reviewer can say of a patch: it is what the map calls it, it is not, or he cannot tell. */
export const VERDICTS = ["real", "false", "open"] as const;
export type Verdict = (typeof VERDICTS)[number];

/**
 * How a patch stands by all that was said of it. Where one reviewer says real and another false it is
 * disputed, and counts as open.
 */
export const STANDINGS = ["open", "real", "false", "disputed"] as const;
export type Standing = (typeof STANDINGS)[number];

/** How a patch stands by what its reviewers said, one verdict each. */
export function standingOf(said: readonly Verdict[]): Standing {
  const isReal = said.includes("real");
  const isFalse = said.includes("false");
  if (isReal && isFalse) {
    return "disputed";
  }
  if (isReal) {
    return "real";
  }
  return isFalse ? "false" : "open";
}

/** How two reviewers judged the patches that both of them called real or false. */
export interface BothJudged {
  /** Both say real; the first says real and the second false; the other way round; both say false. */
  realReal: number;
  realFalse: number;
  falseReal: number;
  falseFalse: number;
}

/** How far two reviewers agree. */
export interface Agreement {
  /** Patches that both judged. */
  patches: number;
  /** Of those, the ones that they judge alike. */
  alike: number;
  /**
   * Cohen's kappa (Cohen 1960): agreement beyond what two reviewers reach who judge as often so and so,
   * but by chance. Null where no patch was judged by both, or chance alone explains all of it.
   */
  kappa: number | null;
}

/** How far two reviewers agree on the patches that both judged. */
export function agreementOf({ realReal, realFalse, falseReal, falseFalse }: BothJudged): Agreement {
  const patches = realReal + realFalse + falseReal + falseFalse;
  const alike = realReal + falseFalse;
  const byChance =
    ((realReal + realFalse) * (realReal + falseReal) +
      (falseReal + falseFalse) * (realFalse + falseFalse)) /
    patches ** 2;
  const kappa = (alike / patches - byChance) / (1 - byChance);
  return { patches, alike, kappa: Number.isFinite(kappa) ? kappa : null };
}
