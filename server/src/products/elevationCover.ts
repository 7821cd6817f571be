import { LRUCache } from "lru-cache";
import { type Grid, levelCount, levelGrid } from "@hindglance/core/grid/grid";
import { realCells } from "@hindglance/core/raster/block";
import { type KnownGround, coverOf, shownBy } from "@hindglance/core/terrain/cover";
import { datumDoubt } from "@hindglance/core/terrain/datum";
import { type Client, lending } from "../db/pool";
import { StoredSources } from "../eval/sources";
import type { ReadyScene } from "./families";

/** Cells across of the overview that is looked at. */
const MOST_ACROSS = 512;

/** An overview of an elevation: heights in metres, NaN where there is none. */
interface GroundOverview extends KnownGround {
  heights: Float32Array;
}

/** Overviews of elevations, what they cover and what speaks against them: images never change. */
const grounds = new LRUCache<string, GroundOverview>({ max: 30 });
const doubts = new LRUCache<string, { said: string | null }>({ max: 100 });
const covers = new LRUCache<string, { share: number | null }>({ max: 500 });

/** Where an elevation has heights, on an overview of it. */
async function groundOf(
  client: Client,
  { imageId, info }: Pick<ReadyScene, "imageId" | "info">,
): Promise<GroundOverview> {
  const found = grounds.get(imageId);
  if (found) {
    return found;
  }
  const { width, height } = info.grid;
  const level = Math.min(
    levelCount(width, height) - 1,
    Math.max(0, Math.ceil(Math.log2(Math.max(width, height) / MOST_ACROSS))),
  );
  const grid = levelGrid(info.grid, level);
  const whole = { col: 0, row: 0, width: grid.width, height: grid.height };
  const { bands } = await new StoredSources(lending(client), 0).read(imageId, level, whole);
  const heights = realCells(bands[0]!);
  const known = Uint8Array.from(heights, (metres) => (metres === metres ? 1 : 0));
  const ground = { grid, known, heights };
  grounds.set(imageId, ground);
  return ground;
}

/**
 * Share of what a scene shows of a grid that an elevation covers, 0 to 1; null where it shows nothing
 * of it. A scene that lies on the map shows all of it.
 */
export async function elevationCover(
  client: Client,
  scene: ReadyScene,
  elevation: Pick<ReadyScene, "imageId" | "info">,
  grid: Grid,
): Promise<number | null> {
  const { sensor } = scene.info;
  const key = JSON.stringify([sensor ? scene.imageId : null, elevation.imageId, grid]);
  const found = covers.get(key);
  if (found) {
    return found.share;
  }
  const shown = sensor ? shownBy(sensor) : () => true;
  const share = coverOf(grid, await groundOf(client, elevation), shown);
  covers.set(key, { share });
  return share;
}

/** Why the heights of an elevation may be counted from something else than is said; null: nothing. */
export async function elevationDoubt(
  client: Client,
  elevation: Pick<ReadyScene, "imageId" | "info">,
): Promise<string | null> {
  const vertical = elevation.info.bands[0]?.vertical ?? null;
  const key = `${elevation.imageId} ${vertical}`;
  const found = doubts.get(key);
  if (found) {
    return found.said;
  }
  const { heights, grid } = await groundOf(client, elevation);
  const said = datumDoubt(heights, grid, vertical);
  doubts.set(key, { said });
  return said;
}
