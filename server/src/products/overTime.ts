import * as yup from "yup";
import { node } from "@hindglance/core/change/setup";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { TIME_STATISTICS, type TimeStatistic } from "@hindglance/core/radar/overTime";
import type { Services } from "../api/services";
import { daySchema } from "../api/http";
import type { Client } from "../db/pool";
import type { Scene } from "../db/scenes";
import { AppError } from "../errors";
import type { Submit } from "../runs/engine";
import { computedScene } from "./computedScene";
import type { NewScene } from "./createScene";

const day = daySchema().required();
export const overTimeFields = {
  statistic: yup.string().oneOf(TIME_STATISTICS).required(),
  percent: yup.number().min(0).max(100),
  from: day,
  to: day,
  name: yup.string().trim().min(1).max(120),
};
export interface OverTimeAsk {
  statistic: string;
  percent?: number;
  from: string;
  to: string;
  name?: string;
}
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

/**
 * One statistic over dates, as a scene of its own; dates that share an image (frames of one mosaic)
 * count once.
 * @param kind of the scene where the statistic still is a picture of the ground: not a count, not a
 * deviation
 */
export function overTimeScene(
  s: Pick<Services, "sources">,
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
  const made = node(
    "radar.overTime",
    { statistic, ...(statistic === "percentile" ? { percent } : {}) },
    ...new Map(dates.map((date) => [nodeHash(date.node, versionOf), date.node])).values(),
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
