import type { ClassInfo } from "@hindglance/core/graph/image";

export interface Expectation {
  sceneId: string | null;
  band: string;
  value: number;
  tolerance: number;
}
export interface Pin {
  id: string;
  name: string;
  lon: number;
  lat: number;
  expected: Expectation | null;
}
export interface SceneValues {
  sceneId: string;
  name: string;
  kind: string;
  acquiredAt: string | null;
  bands: { key: string; name: string; unit: string; role: string; nm?: number }[];
  classes: ClassInfo[] | null;
  values: (number | null)[][];
  problem: string | null;
}
export interface PlaceValues {
  scenes: SceneValues[];
  heights: (number | null)[];
}
export type Place = [lon: number, lat: number];

export type PinState = "met" | "missed" | "unknown" | "free";
/**
 * Whether a pin shows what it is expected to: on the scene it names, or on every scene that has the
 * band and a value there.
 */
export function pinState(
  p: Pin,
  at: number,
  v: PlaceValues | undefined,
): { state: PinState; missed: { sceneId: string; value: number }[] } {
  const e = p.expected;
  if (!e) {
    return { state: "free", missed: [] };
  }
  const found = (v?.scenes ?? [])
    .filter((s) => e.sceneId === null || s.sceneId === e.sceneId)
    .flatMap((s) => {
      const k = s.bands.findIndex((b) => b.key === e.band);
      const x = k < 0 ? null : s.values[at]?.[k];
      return x == null ? [] : [{ sceneId: s.sceneId, value: x }];
    });
  const missed = found.filter((f) => Math.abs(f.value - e.value) > e.tolerance);
  return { state: found.length === 0 ? "unknown" : missed.length ? "missed" : "met", missed };
}

/** Series over time at one place: one a band that is a number and that two dates or more have. */
export function seriesOf(
  v: PlaceValues,
  at: number,
): { key: string; unit: string; points: { t: number; value: number; sceneId: string }[] }[] {
  const all = new Map<
    string,
    { key: string; unit: string; points: { t: number; value: number; sceneId: string }[] }
  >();
  for (const s of v.scenes) {
    if (s.acquiredAt && !s.classes) {
      s.bands.forEach((b, k) => {
        const x = s.values[at]?.[k];
        if (x == null || ["angle", "hidden", "elevation", "quality"].includes(b.role)) {
          return;
        }
        const one = all.get(b.key) ?? { key: b.key, unit: b.unit, points: [] };
        one.points.push({ t: Date.parse(s.acquiredAt!), value: x, sceneId: s.sceneId });
        all.set(b.key, one);
      });
    }
  }
  return [...all.values()].map((s) => ({ ...s, points: s.points.sort((a, b) => a.t - b.t) }));
}

/** Spectra at one place: one a date that has four bands or more of known wavelength. */
export function spectraOf(
  v: PlaceValues,
  at: number,
): { sceneId: string; acquiredAt: string | null; points: { nm: number; value: number }[] }[] {
  return v.scenes
    .map((s) => ({
      sceneId: s.sceneId,
      acquiredAt: s.acquiredAt,
      points: s.bands
        .flatMap((b, k) => {
          const x = s.values[at]?.[k];
          return b.nm && b.nm < 3000 && x != null ? [{ nm: b.nm, value: x }] : [];
        })
        .sort((a, b) => a.nm - b.nm),
    }))
    .filter((s) => s.points.length >= 4);
}
