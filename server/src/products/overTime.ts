import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { BandInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, nodeHash, node } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { type TimeStatistic } from "@hindglance/core/radar/overTime";
import type { StoredSources } from "../eval/sources";
import type { OverTimeAsk } from "@hindglance/contract/prepare";
import type { Client } from "../db/pool";
import type { Scene } from "../db/scenes";
import { AppError } from "../errors";

import { computedScene } from "./computedScene";
import type { NewScene } from "./scenes/beginImport";
import type { Submit } from "./plans";

const WORDS: Record<TimeStatistic, string> = {
  mean: "Mean",
  median: "Median",
  min: "Minimum",
  max: "Maximum",
  deviation: "Standard deviation",
  count: "Count",
  mode: "Mode",
  percentile: "Percentile",
};
const dayOf = (s: { acquiredAt: string | null }): string =>
  new Date(s.acquiredAt!).toISOString().slice(0, 10);

/** Dates of a span. @throws AppError when there are fewer than two */
export function inSpan<T extends { acquiredAt: string | null }>(
  all: readonly T[],
  overTimeAsk: OverTimeAsk,
): T[] {
  const inside = all.filter(
    (x) => x.acquiredAt && dayOf(x) >= overTimeAsk.from && dayOf(x) <= overTimeAsk.to,
  );
  if (inside.length < 2) {
    throw new AppError(
      422,
      "invalid",
      `${inside.length === 0 ? "No date lies" : "Only one date lies"} between ${overTimeAsk.from} and ${overTimeAsk.to}`,
      "from",
      "Two dates or more are needed.",
    );
  }
  return inside;
}

const isSameBand = (a: BandInfo, b: BandInfo): boolean =>
  a.name === b.name && a.role === b.role && a.polarisation === b.polarisation;

/**
 * The dates with the bands that all of them have, in the order of the first. `leftOut`: what some
 * date lacks, in words, or null.
 * @throws AppError when they have none in common
 */
async function inCommon(
  { sources }: { sources: StoredSources },
  dates: readonly { scene: Scene; node: NodeSpec }[],
): Promise<{ nodes: NodeSpec[]; leftOut: string | null }> {
  const evaluator = new Evaluator({ sources });
  const bands = await Promise.all(dates.map(async (one) => (await evaluator.info(one.node)).bands));
  const has = (list: readonly BandInfo[], band: BandInfo) =>
    list.some((other) => isSameBand(other, band));
  const common = bands[0]!.filter((band) => bands.every((list) => has(list, band)));
  if (common.length === 0) {
    throw new AppError(
      422,
      "invalid",
      `The dates have no band in common: ${dates[0]!.scene.name} has ${bands[0]!.map((band) => band.name).join(", ")}`,
      "from",
      "Prepare the dates alike.",
    );
  }
  const left = bands.flatMap((list, k) =>
    list
      .filter((band) => !has(common, band))
      .map((band) => `${band.name} (${dates[k]!.scene.name})`),
  );
  const nodes = dates.map((one, k) => {
    const places = common.map((band) => bands[k]!.findIndex((other) => isSameBand(other, band)));
    const isWhole = places.length === bands[k]!.length && places.every((place, i) => place === i);
    return isWhole ? one.node : node("bands.select", { bands: places }, one.node);
  });
  const names = [...new Set(left)].join(", ");
  return {
    nodes,
    leftOut: left.length ? `Left out, since not every date has them: ${names}.` : null,
  };
}

/**
 * One statistic over dates, as a scene of its own; dates that share an image (frames of one mosaic)
 * count once.
 * @param kind of the scene where the statistic still is a picture of the ground: not a count, not a
 * deviation
 */
export async function overTimeScene(
  s: { sources: StoredSources },
  submit: Submit,
  client: Client,
  studyId: string,
  kind: string,
  dates: readonly { scene: Scene; node: NodeSpec }[],
  overTimeAsk: OverTimeAsk,
): Promise<NewScene> {
  const statistic = overTimeAsk.statistic as TimeStatistic;
  const scenes = dates.map((date) => date.scene);
  const ground = statistic !== "count" && statistic !== "deviation";
  const percent = overTimeAsk.percent ?? 50;
  const common = await inCommon(s, dates);
  const made = node(
    "radar.overTime",
    { statistic, ...(statistic === "percentile" ? { percent } : {}) },
    ...new Map(common.nodes.map((one) => [nodeHash(one, versionOf), one])).values(),
  );
  return computedScene(s, submit, client, {
    studyId,
    kind: ground ? kind : "other",
    name:
      overTimeAsk.name ??
      `${WORDS[statistic]}${statistic === "percentile" ? ` ${percent}` : ""} of ${scenes.length} dates, ${dayOf(scenes[0]!)} to ${dayOf(scenes.at(-1)!)}`,
    acquiredAt: new Date(scenes.at(-1)!.acquiredAt!).toISOString(),
    node: made,
    what: `${WORDS[statistic]} over time`,
    detail: {
      statistic,
      ...(common.leftOut ? { warnings: [common.leftOut] } : {}),
      dates: scenes.map((scene) => ({
        scene: scene.name,
        file: scene.fileName,
        sha256: scene.fileSha256,
        acquiredAt: scene.acquiredAt,
      })),
      pass: scenes[0]!.detail.pass,
      incidenceDeg: scenes[0]!.detail.incidenceDeg,
    },
  });
}
