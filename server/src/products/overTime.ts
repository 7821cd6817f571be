import { sharpened } from "@hindglance/core/chain/smoothing";
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
/** −log₁₀ of the chance by which unchanged ground is called changed, where nobody says. */
const USUAL_RARITY = 3;
const DAY_MS = 86_400_000;

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

/** A date of a series with its node; looks of its speckle where they are known. */
export interface TimedDate {
  scene: Scene;
  node: NodeSpec;
  looks?: number | null;
}

/** What was put together over time, as a scene tells it. */
const datesTold = (scenes: readonly Scene[]) => ({
  dates: scenes.map((scene) => ({
    scene: scene.name,
    file: scene.fileName,
    sha256: scene.fileSha256,
    acquiredAt: scene.acquiredAt,
  })),
  pass: scenes[0]!.detail.pass,
  incidenceDeg: scenes[0]!.detail.incidenceDeg,
});

/** Power of the dates as it is before any filter, all polarisations that they have in common. */
async function powersOf(s: { sources: StoredSources }, dates: readonly TimedDate[]) {
  const sharp = dates.map((date) => ({ ...date, node: sharpened(date.node) }));
  const common = await inCommon(s, sharp);
  const evaluator = new Evaluator(s);
  const { bands } = await evaluator.info(common.nodes[0]!);
  const powers = bands.flatMap((band, k) => (band.role === "power" ? [k] : []));
  if (powers.length === 0) {
    throw new AppError(
      422,
      "invalid",
      `Changes over time are told of radar power, and ${dates[0]!.scene.name} has none`,
      "statistic",
      "Pick another statistic, or Prepare radar dates without Decibel.",
    );
  }
  return common.nodes.map((one) => node("bands.select", { bands: powers }, one));
}

/** Dates of the pass that most have: ground looks otherwise from elsewhere, and that is no change. */
function ofOnePass(dates: readonly TimedDate[]): { same: TimedDate[]; others: string[] } {
  const passOf = ({ scene }: TimedDate) => scene.detail.pass ?? "";
  const counts = new Map<string, number>();
  dates.forEach((date) => counts.set(passOf(date), (counts.get(passOf(date)) ?? 0) + 1));
  const [most] = [...counts].sort(([, a], [, b]) => b - a)[0]!;
  const same = dates.filter((date) => passOf(date) === most);
  if (same.length < 2) {
    throw new AppError(
      422,
      "invalid",
      "No two of these dates were seen from one pass",
      "from",
      "Widen the span.",
    );
  }
  const others = dates.filter((date) => passOf(date) !== most).map(({ scene }) => scene.name);
  return { same, others };
}

/** When and how often cells of a radar series changed, as a scene of its own. */
async function changesScene(
  s: { sources: StoredSources },
  submit: Submit,
  client: Client,
  studyId: string,
  dates: readonly TimedDate[],
  { name, rarity = USUAL_RARITY }: OverTimeAsk,
): Promise<NewScene> {
  const known = dates.flatMap(({ looks }) => (looks ? [looks] : []));
  if (known.length === 0) {
    throw new AppError(
      422,
      "invalid",
      "The looks of these dates are not known: how much they vary by speckle alone cannot be told",
      "statistic",
      "Run Prepare: it measures them.",
    );
  }
  const { same, others } = ofOnePass(dates);
  const ordered = [...same].sort(
    (a, b) => Date.parse(a.scene.acquiredAt!) - Date.parse(b.scene.acquiredAt!),
  );
  const scenes = ordered.map(({ scene }) => scene);
  const start = Date.parse(scenes[0]!.acquiredAt!);
  const days = scenes.map(
    ({ acquiredAt }) => Math.round(((Date.parse(acquiredAt!) - start) / DAY_MS) * 100) / 100,
  );
  const looks = Math.round(Math.min(...known) * 100) / 100;
  const powers = await powersOf(s, ordered);
  return computedScene(s, submit, client, {
    ...{ studyId, kind: "other" },
    name:
      name ??
      `Changes over ${scenes.length} dates, ${dayOf(scenes[0]!)} to ${dayOf(scenes.at(-1)!)}`,
    acquiredAt: new Date(scenes.at(-1)!.acquiredAt!).toISOString(),
    node: node("radar.omnibus", { looks, rarity, days }, ...powers),
    what: "Changes over time",
    detail: {
      ...{ statistic: "changes", rarity, looks, ...datesTold(scenes) },
      ...(others.length > 0
        ? { warnings: [`Left out, since they were seen from another pass: ${others.join(", ")}.`] }
        : {}),
    },
  });
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
  dates: readonly TimedDate[],
  overTimeAsk: OverTimeAsk,
): Promise<NewScene> {
  const { statistic } = overTimeAsk;
  if (statistic === "changes") {
    return changesScene(s, submit, client, studyId, dates, overTimeAsk);
  }
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
      ...datesTold(scenes),
    },
  });
}
