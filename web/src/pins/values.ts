import type { Pin, PinExpectation, PlaceValues } from "@hindglance/contract/pins";

export type { Pin, PlaceValues, SceneValues } from "@hindglance/contract/pins";
export type Expectation = PinExpectation;
export type Place = [lon: number, lat: number];

export type PinState = "met" | "missed" | "unknown" | "free";
/**
 * Whether a pin shows what it is expected to: on the scene it names, or on every scene that has the
 * band and a value there.
 */
export function pinState(
  pin: Pin,
  at: number,
  placeValues: PlaceValues | undefined,
): { state: PinState; missed: { sceneId: string; value: number }[] } {
  const expectation = pin.expected;
  if (!expectation) {
    return { state: "free", missed: [] };
  }
  const found = (placeValues?.scenes ?? [])
    .filter((scene) => expectation.sceneId === null || scene.sceneId === expectation.sceneId)
    .flatMap((scene) => {
      const k = scene.bands.findIndex((band) => band.key === expectation.band);
      const x = k < 0 ? null : scene.values[at]?.[k];
      return x == null ? [] : [{ sceneId: scene.sceneId, value: x }];
    });
  if (found.length === 0) {
    return { state: "unknown", missed: [] };
  }
  const missed = found.filter(
    ({ value }) => Math.abs(value - expectation.value) > expectation.tolerance,
  );
  return { state: missed.length ? "missed" : "met", missed };
}

/** A band over time at one place. */
export interface Series {
  key: string;
  unit: string;
  points: { t: number; value: number; sceneId: string }[];
}

/** Roles of bands that hold no measured number of the ground. */
const NOT_MEASURED = ["angle", "hidden", "elevation", "quality"];

/** Series over time at one place: one a band that is a number and that two dates or more have. */
export function seriesOf({ scenes }: PlaceValues, at: number): Series[] {
  const all = new Map<string, Series>();
  for (const { sceneId, acquiredAt, classes, bands, values } of scenes) {
    if (!acquiredAt || classes) {
      continue;
    }
    bands.forEach(({ key, unit, role }, k) => {
      const value = values[at]?.[k];
      if (value == null || NOT_MEASURED.includes(role)) {
        return;
      }
      const series = all.get(key) ?? { key, unit, points: [] };
      series.points.push({ t: Date.parse(acquiredAt), value, sceneId });
      all.set(key, series);
    });
  }
  return [...all.values()].map((series) => ({
    ...series,
    points: series.points.sort((a, b) => a.t - b.t),
  }));
}

/** Spectra at one place: one a date that has four bands or more of known wavelength. */
export function spectraOf(
  placeValues: PlaceValues,
  at: number,
): { sceneId: string; acquiredAt: string | null; points: { nm: number; value: number }[] }[] {
  return placeValues.scenes
    .map((scene) => ({
      sceneId: scene.sceneId,
      acquiredAt: scene.acquiredAt,
      points: scene.bands
        .flatMap((band, k) => {
          const x = scene.values[at]?.[k];
          return band.nm && band.nm < 3000 && x != null ? [{ nm: band.nm, value: x }] : [];
        })
        .sort((a, b) => a.nm - b.nm),
    }))
    .filter((s) => s.points.length >= 4);
}
