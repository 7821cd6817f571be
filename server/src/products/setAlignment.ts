import { type Alignment, type PointsPlace, usedPoints } from "@hindglance/core/align/alignment";
import { LEAST_POINTS, fitPoints } from "@hindglance/core/align/points";
import { isPictureFrame } from "@hindglance/core/grid/frames";
import type { Client } from "../db/pool";
import { addToLedger, lockStudy, updateStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { type StudySides, isDate, studySides } from "./sides";

/** What is set: a level that is left out stays as it is. */
interface Wanted {
  place: Alignment["place"];
  level?: Alignment["level"] | undefined;
}

/** @throws AppError 422 where a reference is the date itself, or not in the study */
function requireReferences(all: StudySides, sceneId: string, { place, level }: Wanted): void {
  const references = { place: place?.referenceId, level: level?.referenceId };
  for (const [part, to] of Object.entries(references)) {
    const isThere = all.scenes.some((scene) => scene.id === to && isDate(scene));
    if (to !== undefined && (to === sceneId || !isThere)) {
      throw new AppError(
        422,
        "invalid",
        to === sceneId ? "A date cannot be its own reference" : "The reference is not in the study",
        `${part}.referenceId`,
        "Pick another one.",
      );
    }
  }
}

/**
 * Points that are still too few are kept, and take hold once there are enough.
 * @throws AppError 422 for two points of one name @throws InputError where they cannot be fitted
 */
function requirePoints(place: PointsPlace, isPicture: boolean): void {
  const ids = place.points.map((point) => point.id);
  const twice = ids.find((id, k) => ids.indexOf(id) < k);
  if (twice !== undefined) {
    throw new AppError(422, "invalid", `There are two points called ${twice}`, "place.points");
  }
  const used = usedPoints(place);
  if (used.length >= LEAST_POINTS[place.model]) {
    fitPoints(used, place.model, place.smoothing, isPicture);
  }
}

/** What the ledger remembers of a place. */
function placeRecord(place: Alignment["place"]): object | null {
  switch (place?.kind) {
    case "offset":
      return {
        kind: "offset",
        model: place.model,
        band: place.band,
        rmseCells: place.rmseCells,
        windows: place.matches.length,
      };
    case "points":
      return { kind: "points", model: place.model, points: usedPoints(place).length };
    default:
      return null;
  }
}

/**
 * Sets what Align does to a date from now on. @throws AppError 404 for a scene that is none, 422
 * where a reference or the points do not do
 */
export async function setAlignment(
  client: Client,
  studyId: string,
  sceneId: string,
  wanted: Wanted,
): Promise<Alignment> {
  await lockStudy(client, studyId);
  const all = await studySides(client, studyId);
  const date = all.scenes.find((scene) => scene.id === sceneId);
  if (!date || !isDate(date)) {
    throw notFound("scene");
  }
  requireReferences(all, sceneId, wanted);
  if (wanted.place?.kind === "points") {
    requirePoints(wanted.place, isPictureFrame(date.info.grid.crs));
  }
  const { place } = wanted;
  const level = wanted.level === undefined ? (all.align[sceneId]?.level ?? null) : wanted.level;
  await updateStudy(client, studyId, { align: { ...all.align, [sceneId]: { place, level } } });
  await addToLedger(client, studyId, "Date aligned", {
    ...{ scene: sceneId, name: date.name },
    place: placeRecord(place),
    level: level && { method: level.method, cells: level.cells, bands: level.bands },
  });
  return { place, level };
}
