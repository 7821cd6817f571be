import { comparingOf } from "@hindglance/core/change/comparing";
import { sameBand } from "@hindglance/core/change/setup";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { BandInfo, ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node } from "@hindglance/core/graph/node";
import { onGrid } from "@hindglance/core/graph/onGrid";
import type { Grid } from "@hindglance/core/grid/grid";
import { AppError } from "../errors";
import type { StoredSources } from "../eval/sources";
import type { ReadyScene } from "./families";
import { named } from "./leftToRun";
import { type StudySides, isDate, rawNode, sideNode } from "./sides";

/** An image as a node, and what is known of it. */
export interface Image {
  node: NodeSpec;
  info: ImageInfo;
}

/** A scene of the study that can be aligned. @throws AppError 422 naming the field */
export function dateIn(all: StudySides, sceneId: string, field: string): ReadyScene {
  const scene = all.scenes.find((one) => one.id === sceneId);
  if (!scene || !isDate(scene)) {
    throw new AppError(
      422,
      "invalid",
      "This scene is not in the study, or is still being imported",
      field,
    );
  }
  return scene;
}

/** Two different dates of a study. @throws AppError 422 where they are one, or not there */
export function pairIn(
  all: StudySides,
  { referenceId, sceneId }: { referenceId: string; sceneId: string },
  sameRefusal: string | null,
): { reference: ReadyScene; date: ReadyScene } {
  const reference = dateIn(all, referenceId, "referenceId");
  const date = dateIn(all, sceneId, "sceneId");
  if (sameRefusal && reference.id === date.id) {
    throw new AppError(422, "invalid", sameRefusal, "referenceId", "Pick another reference.");
  }
  return { reference, date };
}

/** A date as it lies before Align moves it. @throws AppError 422 with the scene's name */
export const rawImage = (
  sources: StoredSources,
  all: StudySides,
  scene: ReadyScene,
): Promise<Image> =>
  named(scene, async () => {
    const raw = rawNode(all, scene);
    return { node: raw, info: await new Evaluator({ sources }).info(raw) };
  });

/** A date as it is compared. @throws AppError 422 with the scene's name */
export const sideImage = (
  sources: StoredSources,
  all: StudySides,
  scene: ReadyScene,
): Promise<Image> => named(scene, () => sideNode(sources, all, scene));

/** Place of a band by its name. @throws AppError 422 naming the scene */
export function bandNamed({ info }: Image, name: string, scene: ReadyScene): number {
  const band = info.bands.findIndex((one) => one.name === name);
  if (band < 0) {
    throw new AppError(422, "invalid", `${scene.name} has no band ${name}`, "band");
  }
  return band;
}

/** Some bands of an image on a grid. */
export const bandsOnGrid = (
  { node: image, info }: Image,
  bands: readonly number[],
  grid: Grid,
): NodeSpec =>
  onGrid(
    node("bands.select", { bands: [...bands] }, image),
    { ...info, bands: bands.map((band) => info.bands[band]!) },
    grid,
  );

/** Place of the band that is the same; null where there is none. */
export function sameBandOrNull(band: BandInfo, { info }: Image): number | null {
  try {
    return sameBand(band, info);
  } catch (error) {
    if (error instanceof InputError) {
      return null;
    }
    throw error;
  }
}

/** Bands that two dates have in common and that can be levelled, with their places in both. */
export function commonBands(
  date: Image,
  reference: Image,
): { band: BandInfo; at: number; inReference: number }[] {
  const { bands } = date.info;
  const hasReflectance = bands.some((band) => band.role === "reflectance");
  return bands.flatMap((band, at) => {
    const isLevelled =
      comparingOf(band) !== null &&
      (band.role === "power" || band.role === "reflectance" || !hasReflectance);
    const inReference = isLevelled ? sameBandOrNull(band, reference) : null;
    return inReference === null ? [] : [{ band, at, inReference }];
  });
}
