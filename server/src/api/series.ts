import type { Router } from "express";
import { type Series, type SeriesAsk, seriesRoutes as routes } from "@hindglance/contract/compare";
import { type ZoneSum, meanOfZone } from "@hindglance/core/tally/zoneSums";
import { type NodeRow, type SeriesData, findSeries } from "../db/nodes";
import { studyZones } from "../db/scenes";
import { type SeriesDates, seriesDates, seriesKey } from "../products/series";
import { studySides } from "../products/sides";
import { type ZonePolygons, zonesOnGrid } from "../products/zonePolygons";
import { nodeView, register } from "./nodes";
import { Reply, serve } from "./serve";
import type { Services } from "./services";

/** What is asked, found and made known of a series. */
interface Asked {
  studyId: string;
  ask: SeriesAsk;
  series: SeriesDates;
  zones: ZonePolygons;
  /** A node a date, in their order. */
  rows: NodeRow[];
  key: string;
}

async function lookInto(services: Services, studyId: string, ask: SeriesAsk): Promise<Asked> {
  const { db, sources } = services;
  const all = await db.withClient((client) => studySides(client, studyId));
  const series = await seriesDates(sources, all, ask);
  const layer = ask.zones ? await db.withClient((client) => studyZones(client, studyId)) : null;
  const zones = zonesOnGrid(layer, series.grid);
  const rows = await Promise.all(series.dates.map(({ node }) => register(services, node)));
  const hashes = rows.map(({ hash }) => hash);
  return { studyId, ask, series, zones, rows, key: seriesKey(hashes, ask, zones) };
}

/** The mean over all zones of a date; null where nothing is seen. */
function meanOfAll(zones: readonly ZoneSum[], decibel: boolean): number | null {
  const all = zones.reduce((sum, zone) => ({
    ...sum,
    cells: sum.cells + zone.cells,
    sum: sum.sum + zone.sum,
  }));
  return meanOfZone(all, decibel);
}

const zoneView = (zone: ZoneSum, decibel: boolean) => ({
  seenM2: zone.seenM2,
  beyondM2: zone.beyondM2,
  beyondCells: zone.beyondCells,
  cells: zone.cells,
  mean: meanOfZone(zone, decibel),
});

/** A series with its numbers, as far as they are found. */
function seriesView({ ask, series, zones, rows, key }: Asked, found: SeriesData | null): Series {
  const { dates, left, grid, unit, decibel } = series;
  return {
    key,
    unit,
    band: ask.band,
    zones: zones.map(({ name }) => name),
    left,
    grid,
    dates: dates.map(({ scene }, k) => {
      const counted = found?.dates[k]?.zones ?? null;
      return {
        sceneId: scene.id,
        name: scene.name,
        acquiredAt: scene.acquiredAt!,
        node: nodeView(rows[k]!),
        zones: counted && counted.map((zone) => zoneView(zone, decibel)),
        mean: counted && meanOfAll(counted, decibel),
      };
    }),
  };
}

/** Begins the run that counts, and gives its id. */
const submitSeries = (
  { db, engine }: Services,
  { studyId, ask, series, zones, rows, key }: Asked,
): Promise<string> =>
  db.withTransaction((client) =>
    engine.submit(client, {
      studyId,
      kind: "measureSeries",
      title: `Measure ${series.dates.length} dates`,
      params: {
        key,
        info: rows[0]!.info,
        dates: series.dates.map(({ scene, node }) => ({ sceneId: scene.id, node })),
        op: ask.op,
        value: ask.value,
        decibel: series.decibel,
        zones,
      },
    }),
  );

/** Routes of what is counted on every date by itself. */
export function seriesRoutes(api: Router, services: Services): void {
  /**
   * Area beyond a value on every date of a kind, by zone, with the mean of the band; as a run until
   * it is known.
   */
  serve(api, routes.count, async ({ params, body }) => {
    const asked = await lookInto(services, params.id, body);
    const found = await services.db.withClient((client) => findSeries(client, asked.key));
    const view = seriesView(asked, found);
    return found ? view : new Reply(202, { ...view, runId: await submitSeries(services, asked) });
  });
}
