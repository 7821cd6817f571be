/** What a scene can be. */
export const SCENE_KINDS = ["radar", "optical", "elevation", "classes", "other"] as const;
export type SceneKind = (typeof SCENE_KINDS)[number];
