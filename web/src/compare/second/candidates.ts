import {
  type SecondCandidate,
  type SecondPair,
  secondCandidates,
} from "@hindglance/core/change/secondPick";
import type { Scene } from "../../api/types";
import type { ComparisonOnScreen } from "../useComparison";

/** A scene of another sensor than that of the pair, as a list offers it. */
export interface OfferedScene extends SecondCandidate {
  name: string;
}

/** Scenes that a second sensor can be asked with, by date. */
export function offeredScenes(
  scenes: readonly Scene[],
  sideOf: ComparisonOnScreen["sideOf"],
  pair: SecondPair,
): OfferedScene[] {
  const all = scenes.map(({ id, name, kind, acquiredAt }) => ({
    ...{ id, name, kind, acquiredAt },
    info: sideOf(id)?.info ?? null,
  }));
  return secondCandidates(all, pair).sort((one, other) =>
    one.acquiredAt! < other.acquiredAt! ? -1 : 1,
  );
}

/** The pair on screen, as a second sensor is looked for. */
export const pairOf = ({ before, after }: NonNullable<ComparisonOnScreen["pair"]>): SecondPair => ({
  kind: before.kind,
  beforeAt: before.acquiredAt,
  afterAt: after.acquiredAt,
});
