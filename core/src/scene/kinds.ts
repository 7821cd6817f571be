/** What a scene can be. */
export const SCENE_KINDS = [
  "radar",
  "optical",
  "elevation",
  "classes",
  "population",
  "other",
] as const;
export type SceneKind = (typeof SCENE_KINDS)[number];

/** Whether a scene of a kind was taken at some moment; heights and people are of no one day. */
export const hasDate = (kind: string): boolean => kind !== "elevation" && kind !== "population";
