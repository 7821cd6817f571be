import type { Scene } from "../api/types";

/** What a list of scenes is narrowed to; null is no matter. */
export interface SceneFilter {
  kind: string | null;
  pass: string | null;
  polarisation: string | null;
  mode: string | null;
  from: string | null;
  to: string | null;
}
export const NO_FILTER: SceneFilter = {
  kind: null,
  pass: null,
  polarisation: null,
  mode: null,
  from: null,
  to: null,
};

/** Pass direction of a scene, or null. */
export const passOf = (scene: Scene): string | null =>
  scene.detail.pass ?? scene.detail.items?.PASS ?? null;
const polarisationsOf = (scene: Scene): string[] =>
  scene.detail.polarisations ??
  scene.info?.bands.flatMap(({ polarisation }) => (polarisation ? [polarisation] : [])) ??
  [];

/**
 * Scenes that pass; a scene that does not say what is asked does not pass. Dates are days, both
 * ends included.
 */
export function filtered(all: readonly Scene[], sceneFilter: SceneFilter): Scene[] {
  return all.filter(
    (scene) =>
      (!sceneFilter.kind || scene.kind === sceneFilter.kind) &&
      (!sceneFilter.pass || passOf(scene) === sceneFilter.pass) &&
      (!sceneFilter.polarisation || polarisationsOf(scene).includes(sceneFilter.polarisation)) &&
      (!sceneFilter.mode || scene.detail.mode === sceneFilter.mode) &&
      (!sceneFilter.from ||
        (scene.acquiredAt !== null && scene.acquiredAt.slice(0, 10) >= sceneFilter.from)) &&
      (!sceneFilter.to ||
        (scene.acquiredAt !== null && scene.acquiredAt.slice(0, 10) <= sceneFilter.to)),
  );
}

/** What can be asked of these scenes: only what tells some of them from others. */
export function choices(
  all: readonly Scene[],
): Record<"kind" | "pass" | "polarisation" | "mode", string[]> {
  const of = (get: (scene: Scene) => (string | null | undefined)[]) => {
    const value = [...new Set(all.flatMap(get).filter((x): x is string => !!x))].sort();
    return value.length > 1 ||
      (value.length === 1 && all.some((scene) => !get(scene).some(Boolean)))
      ? value
      : [];
  };
  return {
    kind: of((scene) => [scene.kind]),
    pass: of((scene) => [passOf(scene)]),
    polarisation: of(polarisationsOf),
    mode: of((scene) => [scene.detail.mode]),
  };
}
