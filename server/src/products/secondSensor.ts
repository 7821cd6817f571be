import {
  type SecondSensor,
  type SecondSides,
  secondWarnings,
} from "@hindglance/core/change/second";
import { InputError } from "@hindglance/core/errors";
import type { StoredSources } from "../eval/sources";
import type { ReadyScene } from "./families";
import { type StudySides, cloudSide, isDate, sideNode } from "./sides";
import { iso } from "./time";

/** Both dates of a second sensor, the scenes that they are of, and what is to be said of them. */
export interface Second {
  sides: SecondSides;
  before: ReadyScene | null;
  after: ReadyScene | null;
  warnings: string[];
}

/** A scene as it stands in the study's pair. */
interface Dated {
  name: string;
  acquiredAt: Date | string | null;
}

const dated = (scene: Dated) => ({
  name: scene.name,
  acquiredAt: scene.acquiredAt ? iso(scene.acquiredAt) : null,
});

/** A date of the second sensor as it is compared; null where it cannot be had. */
async function sideOf(
  sources: StoredSources,
  all: StudySides,
  scene: ReadyScene | null,
): Promise<SecondSides["after"]> {
  if (!scene) {
    return null;
  }
  try {
    const side = await sideNode(sources, all, scene);
    return { ...side, cloud: await cloudSide(sources, all, scene) };
  } catch (error) {
    if (error instanceof InputError) {
      return null;
    }
    throw error;
  }
}

/** The second sensor of a comparison; null where none is set. */
export async function secondOf(
  sources: StoredSources,
  all: StudySides,
  pair: Record<"before" | "after", Dated>,
  second: SecondSensor | null | undefined,
): Promise<Second | null> {
  if (!second) {
    return null;
  }
  const ready = all.scenes.filter(isDate);
  const sceneOf = (id: string | null) => ready.find((scene) => scene.id === id) ?? null;
  const before = sceneOf(second.beforeId);
  const after = sceneOf(second.afterId);
  const warnings = secondWarnings(
    { before: dated(pair.before), after: dated(pair.after) },
    { before: before && dated(before), after: after && dated(after) },
  );
  const sides = {
    before: await sideOf(sources, all, before),
    after: await sideOf(sources, all, after),
  };
  return { sides, before, after, warnings };
}
