/** How places are drawn. */
export const DRAWINGS = ["stratified", "simple", "systematic"] as const;
export type Drawing = (typeof DRAWINGS)[number];

/** How what a map is tested on came about: places that were drawn, or areas that somebody knows. */
export type Testing = Drawing | "areas";

/** A part of a map that places are drawn from by themselves: one class, or ground near the change. */
export interface Stratum {
  /** Number of the stratum: the label of its class, or one that no class has. */
  id: number;
  /** Label of the map everywhere in it; 0 is no change. */
  label: number;
  cells: number;
  areaM2: number;
}

/** Whether a stratum is the ground near change that is told apart from the rest without change. */
export const isNearChange = ({ id, label }: Pick<Stratum, "id" | "label">): boolean =>
  label === 0 && id !== label;

/** Places that were looked at, by what the map says there and what they are. */
export interface Count {
  stratum: number;
  /** What the ground is, as somebody saw. */
  reference: number;
  units: number;
}

/** Places of a stratum by what they are. */
export interface StratumCounts extends Stratum {
  /** Places that were looked at. */
  units: number;
  /** Of those, how many are of each class; classes without any are left out. */
  byReference: ReadonlyMap<number, number>;
}

/** Strata with their places; such without any too. */
export const countsByStratum = (
  strata: readonly Stratum[],
  counts: readonly Count[],
): StratumCounts[] =>
  strata.map((stratum) => {
    const byReference = new Map<number, number>();
    for (const { stratum: id, reference, units } of counts) {
      if (id === stratum.id && units > 0) {
        byReference.set(reference, (byReference.get(reference) ?? 0) + units);
      }
    }
    const units = [...byReference.values()].reduce((sum, one) => sum + one, 0);
    return { ...stratum, units, byReference };
  });
