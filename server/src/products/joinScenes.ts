import { randomUUID } from "node:crypto";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { levelCount } from "@hindglance/core/grid/grid";
import { unionGrid } from "@hindglance/core/grid/union";
import { joinFrames } from "@hindglance/core/radar/joinFrames";
import { utcText } from "@hindglance/core/radar/orbit";
import { createImage } from "../db/images";
import type { Client } from "../db/pool";
import { joinedOrigin, setOrigin } from "../db/origins";
import { findLuts, saveLuts } from "../db/products";
import { createScene, findScene, setSceneRun } from "../db/scenes";
import { touchStudy } from "../db/studies";
import { AppError } from "../errors";

import { type ReadyScene, isReady } from "./families";
import { partGrid, partOutline } from "./part";
import type { NewScene } from "./scenes/beginImport";
import type { Submit, JoinParams } from "./plans";

/** Tiles of one date may be this far apart in time. */
const ONE_DATE_MS = 24 * 3600e3;

/**
 * Neighbouring frames of one pass, or tiles of one date, become one scene. @throws AppError or
 * InputError saying which does not belong
 */
export async function joinedScene(
  submit: Submit,
  client: Client,
  studyId: string,
  ids: readonly string[],
  name: string | undefined,
): Promise<NewScene> {
  const found = await Promise.all(ids.map((id) => findScene(client, id)));
  const bad = found.findIndex((scene) => !scene || scene.studyId !== studyId);
  if (bad >= 0) {
    throw new AppError(404, "notFound", "One of these scenes is not in the study", "sceneIds");
  }
  const waiting = found.find((scene) => !isReady(scene));
  if (waiting) {
    throw new AppError(409, "notReady", `${waiting.name} is still being imported`, "sceneIds");
  }
  const scenes = found.filter(isReady);
  const first = scenes[0]!;
  const sensors = scenes.filter((scene) => scene.info.sensor).length;
  if (sensors > 0 && sensors < scenes.length) {
    throw new AppError(
      422,
      "invalid",
      "A product in sensor geometry cannot be joined with an image on the map",
      "sceneIds",
    );
  }
  const joined = sensors ? await frames(client, scenes) : tiles(scenes);
  const { info, detail, parts } = joined;
  const title =
    name ??
    `${first.name.replace(/, (frame|tile) \d+$/, "")} (${scenes.length} ${sensors ? "frames" : "tiles"})`;
  const imageId = await createImage(client, info, levelCount(info.grid.width, info.grid.height));
  if (joined.luts) {
    await saveLuts(client, imageId, joined.luts);
  }
  const sceneId = await createScene(client, {
    studyId,
    kind: first.kind,
    name: title,
    acquiredAt: joined.acquiredAt,
    fileName: `${first.fileName} and ${scenes.length - 1} more`,
    fileSize: scenes.reduce((n, readyScene) => n + readyScene.fileSize, 0),
    fileSha256: first.fileSha256,
    detail: {
      ...detail,
      parts: scenes.map((scene) => ({
        name: scene.fileName,
        sha256: scene.fileSha256,
        size: scene.fileSize,
      })),
      archive: scenes.flatMap((scene) => scene.detail.archive ?? []),
    },
  });
  const origin = await joinedOrigin(client, ids);
  if (origin) {
    await setOrigin(client, sceneId, origin);
  }
  const runId = await submit({
    studyId,
    kind: "joinScenes",
    title: `Join ${title}`,
    params: { sceneId, imageId, info, name: title, parts } satisfies JoinParams,
  });
  await setSceneRun(client, sceneId, runId);
  await touchStudy(client, studyId);
  return { scene: (await findScene(client, sceneId))!, runId };
}

const partOf = (readyScene: ReadyScene, col: number, row: number): JoinParams["parts"][0] => ({
  sceneId: readyScene.id,
  sceneName: readyScene.name,
  imageId: readyScene.imageId,
  info: readyScene.info,
  col,
  row,
});

async function frames(client: Client, scenes: ReadyScene[]) {
  const given = await Promise.all(
    scenes.map(async (scene) => ({
      name: scene.name,
      sensor: scene.info.sensor!,
      luts: (await findLuts(client, scene.imageId))!,
    })),
  );
  const { sensor, luts, order, firstLines } = joinFrames(given);
  const sorted = order.map((i) => scenes[i]!);
  const corner = sorted.map((readyScene, k) => ({
    col: readyScene.info.grid.transform[0],
    row: readyScene.info.grid.transform[3] + firstLines[k]!,
  }));
  const col = Math.min(...corner.map((x) => x.col));
  const row = Math.min(...corner.map((x) => x.row));
  const part = {
    col,
    row,
    width: Math.max(...corner.map((x, k) => x.col + sorted[k]!.info.grid.width)) - col,
    height: Math.max(...corner.map((x, k) => x.row + sorted[k]!.info.grid.height)) - row,
  };
  const info: ImageInfo = { ...sorted[0]!.info, grid: partGrid(randomUUID(), part), sensor };
  const details = sorted.map((readyScene) => readyScene.detail);
  const stop = utcText(sensor.firstLineT + (sensor.lines - 1) * sensor.lineIntervalS);
  const incidence = details.map((x) => x.incidenceDeg).filter((x) => x !== null && x !== undefined);
  const detail = {
    ...details[0],
    start: utcText(sensor.firstLineT),
    stop,
    lines: sensor.lines,
    samples: sensor.samples,
    part,
    leftOut:
      details
        .map((x) => x.leftOut)
        .filter(Boolean)
        .join("; ") || null,
    warnings: [...new Set(details.flatMap((x) => x.warnings ?? []))],
    outline: partOutline(sensor, part),
    sensor,
    incidenceDeg: incidence.length
      ? [Math.min(...incidence.map((x) => x[0])), Math.max(...incidence.map((x) => x[1]))]
      : null,
    frames: details.map((x) => ({ product: x.product, start: x.start, stop: x.stop })),
  };
  return {
    info,
    detail,
    luts,
    acquiredAt: utcText(sensor.firstLineT + (sensor.lines / 2) * sensor.lineIntervalS).replace(
      /\.\d+Z$/,
      "Z",
    ),
    parts: sorted.map((readyScene, k) =>
      partOf(readyScene, corner[k]!.col - col, corner[k]!.row - row),
    ),
  };
}

function tiles(scenes: ReadyScene[]) {
  const first = scenes[0]!;
  const say = (info: ImageInfo) =>
    info.bands.map((band) => `${band.name}${band.unit ? `, ${band.unit}` : ""}`).join("; ");
  for (const scene of scenes.slice(1)) {
    if (scene.kind !== first.kind || scene.info.type !== first.info.type) {
      throw new AppError(
        422,
        "invalid",
        `${scene.name} is ${scene.kind}, ${first.name} is ${first.kind}`,
        "sceneIds",
        "Only scenes of one kind can be joined.",
      );
    }
    if (
      scene.info.bands.length !== first.info.bands.length ||
      scene.info.bands.some(
        (band, k) =>
          band.role !== first.info.bands[k]!.role ||
          band.unit !== first.info.bands[k]!.unit ||
          band.polarisation !== first.info.bands[k]!.polarisation ||
          band.vertical !== first.info.bands[k]!.vertical,
      )
    ) {
      throw new AppError(
        422,
        "invalid",
        `${scene.name} has the bands ${say(scene.info)}; ${first.name} has ${say(first.info)}`,
        "sceneIds",
        "Only the same bands in the same units can be joined.",
      );
    }
    if (
      scene.acquiredAt &&
      first.acquiredAt &&
      Math.abs(Date.parse(String(scene.acquiredAt)) - Date.parse(String(first.acquiredAt))) >
        ONE_DATE_MS
    ) {
      throw new AppError(
        422,
        "invalid",
        `${scene.name} and ${first.name} were taken on different dates`,
        "sceneIds",
        "Only tiles of one date can be joined.",
      );
    }
  }
  const { grid, offsets } = unionGrid(
    scenes.map((scene) => scene.info.grid),
    scenes.map((scene) => scene.name),
  );
  return {
    info: {
      ...first.info,
      grid,
      bands: first.info.bands.map(({ range: _range, ...b }) => b),
    },
    detail: { ...first.detail, width: grid.width, height: grid.height, leftOut: null },
    luts: null,
    acquiredAt: first.acquiredAt ? new Date(first.acquiredAt).toISOString() : null,
    parts: scenes.map((scene, k) => partOf(scene, offsets[k]!.col, offsets[k]!.row)),
  };
}
