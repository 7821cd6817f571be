import type { ClassInfo } from "../graph/image";
import { CLASS_NODATA } from "../raster/block";
import { Tally, type TallyData } from "../tally/tally";
import type { Confirms } from "./second";

/** What the second sensor says of a cell of a class. */
export const SAID = ["confirmed", "against", "unseen"] as const;
/** One of those. */
export type Said = (typeof SAID)[number];

/** What each is called, and what it looks like on a map. */
export const SAID_LOOKS: Readonly<Record<Said, { name: string; color: string }>> = {
  confirmed: { name: "confirmed", color: "#1b7f5c" },
  against: { name: "not confirmed", color: "#b8453a" },
  unseen: { name: "not seen", color: "#8b8f98" },
};

/** Label of a cell of the k-th class that is asked about. */
export const saidLabel = (k: number, said: Said): number => 1 + 3 * k + SAID.indexOf(said);

/** What a label says; null of no class that is asked about, and of nodata. */
export const saidOf = (label: number): Said | null =>
  label === 0 || label === CLASS_NODATA ? null : SAID[(label - 1) % SAID.length]!;

/** Classes of the image of what the second sensor says. */
export const saidClasses = (
  labels: readonly number[],
  classes: readonly ClassInfo[],
): ClassInfo[] =>
  labels.flatMap((label, k) => {
    const name = classes.find((one) => one.label === label)?.name ?? `class ${label}`;
    return SAID.map((said) => ({
      label: saidLabel(k, said),
      name: `${name}, ${SAID_LOOKS[said].name}`,
      color: SAID_LOOKS[said].color,
    }));
  });

/**
 * Says cell by cell what a second sensor has to say about a map.
 * @param labels of the map, 255 = nodata; @param layer of the second sensor, NaN = not seen; @param out
 * labels as `saidLabel` gives them, 0 of no class that is asked about, 255 nodata
 */
export function sayCells(
  labels: Uint8Array,
  layer: Float32Array,
  { labels: asked, op, value }: Pick<Confirms, "labels" | "op" | "value">,
  out: Uint8Array,
): void {
  const first = new Uint8Array(256);
  asked.forEach((label, k) => {
    first[label] = saidLabel(k, "confirmed");
  });
  const sign = op === ">" ? 1 : -1;
  for (let i = 0; i < out.length; i++) {
    const label = labels[i]!;
    const to = label === CLASS_NODATA ? 0 : first[label]!;
    if (to === 0) {
      out[i] = label === CLASS_NODATA ? CLASS_NODATA : 0;
      continue;
    }
    const seen = layer[i]!;
    out[i] = Number.isNaN(seen) ? to + 2 : to + Number(sign * (seen - value) <= 0);
  }
}

/** An amount of ground. */
export interface Ground {
  cells: number;
  areaM2: number;
}

/** What the second sensor says of a class of the map, or of all of them. */
export type SaidAreas = Record<Said, Ground>;

/** By class in the order of the question, in one zone or in all. */
export function saidAreas(
  tally: TallyData,
  labels: readonly number[],
  zone: number | null = null,
): { label: number; areas: SaidAreas }[] {
  const all = Tally.from(tally);
  const areaOf = (k: number, said: Said) =>
    zone === null ? all.total(saidLabel(k, said)) : all.of(saidLabel(k, said), zone);
  return labels.map((label, k) => ({
    label,
    areas: {
      confirmed: areaOf(k, "confirmed"),
      against: areaOf(k, "against"),
      unseen: areaOf(k, "unseen"),
    },
  }));
}

/** All classes that are asked about, as one. */
export function saidTogether(parts: readonly { areas: SaidAreas }[]): SaidAreas {
  const sum = (said: Said): Ground =>
    parts.reduce(
      (all, { areas }) => ({
        cells: all.cells + areas[said].cells,
        areaM2: all.areaM2 + areas[said].areaM2,
      }),
      { cells: 0, areaM2: 0 },
    );
  return { confirmed: sum("confirmed"), against: sum("against"), unseen: sum("unseen") };
}

/** Shares of the area of a class, 0 to 1; null where there is none. `ofSeen`: of what could be seen. */
export function saidShares(
  areas: SaidAreas,
): (Record<Said, number> & { ofSeen: number | null }) | null {
  const seen = areas.confirmed.areaM2 + areas.against.areaM2;
  const all = seen + areas.unseen.areaM2;
  return all > 0
    ? {
        confirmed: areas.confirmed.areaM2 / all,
        against: areas.against.areaM2 / all,
        unseen: areas.unseen.areaM2 / all,
        ofSeen: seen > 0 ? areas.confirmed.areaM2 / seen : null,
      }
    : null;
}

/** Where one thing is said, for the means of patches: 1 or 0, NaN of no class that is asked about. */
export const saidCells = (labels: Uint8Array, what: Said): Float32Array =>
  Float32Array.from(labels, (label) => {
    const said = saidOf(label);
    return said === null ? NaN : Number(said === what);
  });
