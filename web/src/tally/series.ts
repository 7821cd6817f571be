import { comparingOf } from "@hindglance/core/change/setup";
import type { Operator } from "@hindglance/core/change/rules";
import type { NodeView, Side, Study } from "../api/types";
import type { SceneKind } from "../compare/pair";
import type { Scene } from "../api/types";

/** What is counted on every date: cells of a band beyond a value. */
export interface SeriesAsk {
  kind: SceneKind;
  band: string;
  op: Operator;
  value: number;
  speckle: { filter: "none" | "lee" | "refinedLee"; windowCells: number; looks: number };
  studyArea: boolean;
  zones: boolean;
}
export interface ZoneFacts {
  seenM2: number;
  beyondM2: number;
  beyondCells: number;
  cells: number;
  mean: number | null;
}
export interface SeriesDate {
  sceneId: string;
  name: string;
  acquiredAt: string;
  node: NodeView;
  /** The first is "in no zone". */ zones: ZoneFacts[] | null;
  mean: number | null;
}
export interface Series {
  key: string;
  unit: string;
  band: string;
  zones: string[];
  left: { sceneId: string; name: string; reason: string }[];
  dates: SeriesDate[];
  runId?: string;
}

export const keyOfBand = (b: { name: string; polarisation?: string }): string =>
  b.polarisation ?? b.name;
/** Bands of a kind that can be counted: those that its dates can be compared by. */
export function bandsOfKind(
  kind: SceneKind,
  scenes: readonly Scene[],
  sides: readonly Side[],
): { key: string; unit: string; power: boolean }[] {
  const out = new Map<string, { key: string; unit: string; power: boolean }>();
  for (const s of scenes) {
    if (s.kind === kind) {
      for (const b of sides.find((x) => x.sceneId === s.id)?.info?.bands ?? []) {
        const c = comparingOf(b);
        if (c && !out.has(keyOfBand(b))) {
          out.set(keyOfBand(b), {
            key: keyOfBand(b),
            unit: c === "power" ? "dB" : b.unit,
            power: c === "power",
          });
        }
      }
    }
  }
  return [...out.values()];
}

const GREEN = "#2a8f84";
const WATER = "#33498c";
const BURNED = "#b8562f";
/**
 * What a band is usually counted for: dark water, open water, burned ground, greenness. @param
 * water threshold of water that the study goes by
 */
export function usualCount(
  band: string,
  power: boolean,
  water: number | null,
): { name: string; color: string; op: Operator; value: number } {
  if (power) {
    return { name: "Water", color: WATER, op: "<", value: water ?? -17 };
  }
  if (/ndwi/i.test(band)) {
    return { name: "Water", color: WATER, op: ">", value: 0 };
  }
  if (/nbr/i.test(band)) {
    return { name: "Burned or bare", color: BURNED, op: "<", value: 0.1 };
  }
  return { name: "Green", color: GREEN, op: ">", value: /evi/i.test(band) ? 0.2 : 0.3 };
}
/** Threshold that the rules of a study tell water by on one date. */
export const waterOf = (study: Study): number | null =>
  study.compare?.setup?.rules.flatMap((r) => r.all).find((c) => c.layer === "after" && c.op === "<")
    ?.value ?? null;

/** Sums over all zones of a date. */
export const whole = (d: SeriesDate): { beyondM2: number; seenM2: number } | null =>
  d.zones
    ? d.zones.reduce(
        (s, z) => ({ beyondM2: s.beyondM2 + z.beyondM2, seenM2: s.seenM2 + z.seenM2 }),
        { beyondM2: 0, seenM2: 0 },
      )
    : null;

/** The table as text with tabs, for pasting: a date a line, area by zone, mean. */
export function seriesText(s: Series): string {
  const rows = s.dates.map((d) => {
    const w = whole(d);
    return [
      d.acquiredAt,
      w ? (w.beyondM2 / 1e6).toFixed(4) : "",
      w ? (w.seenM2 / 1e6).toFixed(4) : "",
      d.mean === null ? "" : d.mean.toFixed(4),
      ...s.zones.flatMap((_z, k) => {
        const z = d.zones?.[k + 1];
        return [z ? (z.beyondM2 / 1e6).toFixed(4) : "", z?.mean == null ? "" : z.mean.toFixed(4)];
      }),
    ];
  });
  return [
    [
      "date",
      "km2",
      "km2 seen",
      `mean ${s.band}`,
      ...s.zones.flatMap((z) => [`${z} km2`, `${z} mean`]),
    ],
    ...rows,
  ]
    .map((r) => r.join("\t"))
    .join("\n");
}
