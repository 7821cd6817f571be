import type { Scene } from "../api/types";
import { number } from "../lib/format";
import type { Expectation, PlaceValues, SceneValues } from "./values";

const NOT_EXPECTED = ["angle", "hidden"];

/** Bands that a pin can be held to, each once. */
export const bandsOf = (values: PlaceValues | undefined): string[] => [
  ...new Set(
    (values?.scenes ?? [])
      .filter(({ classes }) => !classes)
      .flatMap(({ bands }) => bands.filter(({ role }) => !NOT_EXPECTED.includes(role)))
      .map(({ key }) => key),
  ),
];

const bandIn = (scene: SceneValues, key: string) => scene.bands.find((band) => band.key === key);

/** Values of reflectance and indices are small: they are told in more decimals than decibels. */
export function decimalsOf(values: PlaceValues | undefined, key: string): number {
  const band = values?.scenes.map((scene) => bandIn(scene, key)).find(Boolean);
  return !band || band.unit ? 1 : 3;
}

/** A tolerance to begin with: two decibels, or a twentieth of the range of reflectance. */
export const usualTolerance = (values: PlaceValues | undefined, key: string): number =>
  decimalsOf(values, key) === 1 ? 2 : 0.05;

/**
 * The middle one of the values that a band has at a place, on one scene or on all.
 *
 * @param at which of the places that the values are of
 */
export function usualValue(
  values: PlaceValues | undefined,
  at: number,
  sceneId: string | null,
  key: string,
): number {
  const found = (values?.scenes ?? [])
    .filter((scene) => sceneId === null || scene.sceneId === sceneId)
    .flatMap((scene) => {
      const band = scene.bands.findIndex((one) => one.key === key);
      const value = band < 0 ? null : scene.values[at]?.[band];
      return value == null ? [] : [value];
    })
    .sort((a, b) => a - b);
  const scale = 10 ** decimalsOf(values, key);
  const middle = found[found.length >> 1] ?? 0;
  return Math.round(middle * scale) / scale;
}

/** What is expected of a pin, and where it shows something else. */
export function expectationText(
  expected: Expectation | null,
  missed: { sceneId: string; value: number }[],
  scenes: Scene[],
  values: PlaceValues | undefined,
): string {
  if (!expected) {
    return "nothing expected";
  }
  const decimals = decimalsOf(values, expected.band);
  const said = (value: number) => number(value, decimals);
  const nameOf = (id: string) => scenes.find((scene) => scene.id === id)?.name;
  const { band, value, tolerance, sceneId } = expected;
  const where = sceneId ? (nameOf(sceneId) ?? "a scene that is gone") : "every date";
  const off = missed.map((one) => `${said(one.value)} on ${nameOf(one.sceneId) ?? ""}`);
  const but = off.length ? `: ${off.join(", ")}` : "";
  return `${band} ${said(value)} ± ${said(tolerance)}, ${where}${but}`;
}
