import type { Series, SeriesDate } from "@hindglance/contract/compare";
import type { Operator } from "@hindglance/core/change/rules";
import type { Side, Study } from "../../api/types";
import type { SceneKind } from "../../compare/pair";
import type { Scene } from "../../api/types";
import { comparingOf } from "@hindglance/core/change/comparing";

export type { Series, SeriesAsk, SeriesDate } from "@hindglance/contract/compare";

/** What bands of different dates are the same by. */
export const keyOfBand = (b: { name: string; polarisation?: string }): string =>
  b.polarisation ?? b.name;
/** A band that can be counted on every date. */
export interface CountedBand {
  key: string;
  unit: string;
  /** Whether its cells hold radar power. */
  power: boolean;
}

/** Bands of a kind that can be counted: those that its dates can be compared by. */
export function bandsOfKind(
  kind: SceneKind,
  scenes: readonly Scene[],
  sides: readonly Side[],
): CountedBand[] {
  const out = new Map<string, CountedBand>();
  for (const scene of scenes) {
    if (scene.kind === kind) {
      for (const band of sides.find((side) => side.sceneId === scene.id)?.info?.bands ?? []) {
        const c = comparingOf(band);
        if (c && !out.has(keyOfBand(band))) {
          out.set(keyOfBand(band), {
            key: keyOfBand(band),
            unit: c === "power" ? "dB" : band.unit,
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
  study.compare?.setup?.rules
    .flatMap((rule) => rule.all)
    .find((condition) => condition.layer === "after" && condition.op === "<")?.value ?? null;

/** Sums over all zones of a date. */
export const whole = (date: SeriesDate): { beyondM2: number; seenM2: number } | null =>
  date.zones
    ? date.zones.reduce(
        (s, zoneFacts) => ({
          beyondM2: s.beyondM2 + zoneFacts.beyondM2,
          seenM2: s.seenM2 + zoneFacts.seenM2,
        }),
        { beyondM2: 0, seenM2: 0 },
      )
    : null;

/** The table as text with tabs, for pasting: a date a line, area by zone, mean. */
export function seriesText(series: Series): string {
  const rows = series.dates.map((date) => {
    const w = whole(date);
    return [
      date.acquiredAt,
      w ? (w.beyondM2 / 1e6).toFixed(4) : "",
      w ? (w.seenM2 / 1e6).toFixed(4) : "",
      date.mean === null ? "" : date.mean.toFixed(4),
      ...series.zones.flatMap((_z, k) => {
        const zoneFacts = date.zones?.[k + 1];
        return [
          zoneFacts ? (zoneFacts.beyondM2 / 1e6).toFixed(4) : "",
          zoneFacts?.mean == null ? "" : zoneFacts.mean.toFixed(4),
        ];
      }),
    ];
  });
  return [
    [
      "date",
      "km2",
      "km2 seen",
      `mean ${series.band}`,
      ...series.zones.flatMap((zone) => [`${zone} km2`, `${zone} mean`]),
    ],
    ...rows,
  ]
    .map((r) => r.join("\t"))
    .join("\n");
}
