import { useQuery } from "@tanstack/react-query";
import { type PrepareAnswer, prepareRoutes } from "@hindglance/contract/prepare";
import type { Family } from "@hindglance/core/chain/family";
import { call } from "../api/call";
import { keys, useChangeMaps, useScenes, useStudy } from "../api/hooks";
import type { ChangeMap, Scene, Study } from "../api/types";
import { number } from "../lib/format";

/** Every stage, in the order of the work. */
export const STAGES = [
  ["scenes", "Scenes"],
  ["prepare", "Prepare"],
  ["align", "Align"],
  ["classify", "Classify"],
  ["compare", "Compare"],
  ["review", "Review"],
  ["tally", "Tally"],
  ["report", "Report"],
] as const;
export type Stage = (typeof STAGES)[number][0];

/** How far a stage has come, 0 to 1, and what it still needs. */
export interface Progress {
  share: number;
  needs: string;
}

type FullRow = PrepareAnswer["rows"][number];

/** What counts of a row of a board. */
interface Row extends Pick<FullRow, "ready"> {
  cells: readonly Pick<FullRow["cells"][number], "state">[];
}

/** What a study has, as far as it is known. */
interface Standing {
  study: Study | undefined;
  scenes: Scene[];
  maps: ChangeMap[];
  /** Rows of the boards of all chains. */
  rows: readonly Row[];
}

/** Scenes that can stand on a side of a comparison. */
const datesOf = (scenes: readonly Scene[]): number =>
  scenes.filter(
    ({ acquiredAt, imageId, info }) => acquiredAt && imageId && info?.type === "float32",
  ).length;

const hasRaw = (scenes: readonly Scene[], family: Family): boolean =>
  scenes.some(
    ({ info, imageId }) => imageId && (family === "radar" ? info?.sensor : info?.optical),
  );

const NEEDS_MAP = "Needs a change map";

function ofScenes({ scenes }: Standing): Progress {
  const dates = datesOf(scenes);
  return {
    share: Math.min(1, dates / 2),
    needs: dates >= 2 ? "Two dates are there" : "Needs a scene from before and one from after",
  };
}

function ofPrepare({ scenes, rows }: Standing): Progress {
  if (!hasRaw(scenes, "radar") && !hasRaw(scenes, "optical")) {
    return datesOf(scenes) > 0
      ? { share: 1, needs: "The scenes are calibrated and on the map already" }
      : { share: 0, needs: "Needs scenes" };
  }
  const inside = rows.filter((row) => row.cells.some(({ state }) => state !== "held"));
  const ready = inside.filter((row) => row.ready).length;
  return {
    share: inside.length ? ready / inside.length : 0,
    needs:
      ready === inside.length
        ? "Every date is prepared"
        : `${ready} of ${inside.length} dates are prepared`,
  };
}

/** Pictures need a position; dates with one can be moved and levelled, and need not be. */
function ofAlign({ scenes, study }: Standing): Progress {
  const align = study?.align;
  const lost = scenes.filter(
    ({ imageId, info }) => imageId && info?.grid.crs.code.startsWith("PICTURE:"),
  );
  if (lost.length) {
    const placed = lost.filter(({ id }) => align?.[id]?.place).length;
    return {
      share: placed / lost.length,
      needs: `${placed} of ${lost.length} pictures have a position`,
    };
  }
  if (datesOf(scenes) < 2) {
    return { share: 0, needs: "Needs two dates" };
  }
  const done = scenes.filter(({ id }) => align?.[id]?.place ?? align?.[id]?.level).length;
  return done
    ? { share: 1, needs: `${done} ${done === 1 ? "date is" : "dates are"} moved or levelled` }
    : { share: 0.5, needs: "The dates lie as they came; look whether they lie on each other" };
}

/** Land cover of dates is classified for some studies, and not needed for the others. */
function ofClassify({ scenes }: Standing): Progress {
  const maps = coversIn(scenes);
  return maps
    ? { share: 1, needs: `${maps} ${maps === 1 ? "map" : "maps"} of land cover` }
    : { share: 0, needs: "For land cover: draw what you know, and map every date" };
}

function ofCompare({ scenes, study, maps }: Standing): Progress {
  if (maps.length) {
    return { share: 1, needs: "A change map is written" };
  }
  if (datesOf(scenes) < 2) {
    return { share: 0, needs: "Needs two dates" };
  }
  return { share: study?.compare?.setup ? 0.5 : 0.15, needs: NEEDS_MAP };
}

function ofReview({ maps: [map] }: Standing): Progress {
  return map
    ? { share: 1, needs: `${number(map.patchCount)} patches of ${map.name} can be looked at` }
    : { share: 0, needs: NEEDS_MAP };
}

const coversIn = (scenes: readonly Scene[]): number =>
  scenes.filter(({ imageId, info }) => imageId && info?.type === "class8").length;

function ofTally({ maps, scenes }: Standing): Progress {
  if (maps.length) {
    return { share: 1, needs: "Areas are counted" };
  }
  return coversIn(scenes) >= 2
    ? { share: 1, needs: "What became of what is counted" }
    : { share: 0, needs: NEEDS_MAP };
}

const ofReport = ({ maps }: Standing): Progress => ({
  share: maps.some(({ files }) => files.length) ? 1 : 0,
  needs: maps.length ? "Make the files" : NEEDS_MAP,
});

/** How far every stage of a study has come. */
export const progressOf = (standing: Standing): Record<Stage, Progress> => ({
  scenes: ofScenes(standing),
  prepare: ofPrepare(standing),
  align: ofAlign(standing),
  classify: ofClassify(standing),
  compare: ofCompare(standing),
  review: ofReview(standing),
  tally: ofTally(standing),
  report: ofReport(standing),
});

/** Rows of the board of a family, asked for only where there are scenes for it. */
const useBoard = (id: string, family: Family, there: boolean) =>
  useQuery({
    queryKey: [...keys.prepare(id), family],
    queryFn: () => call(prepareRoutes.board, { params: { id }, query: { family } }),
    enabled: there,
  }).data?.rows ?? [];

/** The same of a study by its id, kept up to date. */
export function useProgress(id: string): Record<Stage, Progress> {
  const scenes = useScenes(id).data ?? [];
  const maps = useChangeMaps(id).data ?? [];
  const study = useStudy(id).data;
  const radar = useBoard(id, "radar", hasRaw(scenes, "radar"));
  const optical = useBoard(id, "optical", hasRaw(scenes, "optical"));
  return progressOf({ study, scenes, maps, rows: [...radar, ...optical] });
}
