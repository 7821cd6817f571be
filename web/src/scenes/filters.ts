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

export const passOf = (s: Scene): string | null => s.detail.pass ?? s.detail.items?.PASS ?? null;
const polarisationsOf = (s: Scene): string[] =>
  s.detail.polarisations ??
  (s.info?.bands.map((b) => b.polarisation).filter(Boolean) as string[] | undefined) ??
  [];

/**
 * Scenes that pass; a scene that does not say what is asked does not pass. Dates are days, both
 * ends included.
 */
export function filtered(all: readonly Scene[], f: SceneFilter): Scene[] {
  return all.filter(
    (s) =>
      (!f.kind || s.kind === f.kind) &&
      (!f.pass || passOf(s) === f.pass) &&
      (!f.polarisation || polarisationsOf(s).includes(f.polarisation)) &&
      (!f.mode || s.detail.mode === f.mode) &&
      (!f.from || (s.acquiredAt !== null && s.acquiredAt.slice(0, 10) >= f.from)) &&
      (!f.to || (s.acquiredAt !== null && s.acquiredAt.slice(0, 10) <= f.to)),
  );
}

/** What can be asked of these scenes: only what tells some of them from others. */
export function choices(
  all: readonly Scene[],
): Record<"kind" | "pass" | "polarisation" | "mode", string[]> {
  const of = (get: (s: Scene) => (string | null | undefined)[]) => {
    const v = [...new Set(all.flatMap(get).filter((x): x is string => !!x))].sort();
    return v.length > 1 || (v.length === 1 && all.some((s) => !get(s).some(Boolean))) ? v : [];
  };
  return {
    kind: of((s) => [s.kind]),
    pass: of((s) => [passOf(s)]),
    polarisation: of(polarisationsOf),
    mode: of((s) => [s.detail.mode]),
  };
}
