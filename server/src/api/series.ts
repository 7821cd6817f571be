import { sameBand } from "@hindglance/core/change/setup";
import { seriesRoutes as routes } from "@hindglance/contract/compare";
import { Reply, serve } from "./serve";
import { createHash } from "node:crypto";
import type { Router } from "express";
import { dateNodes } from "@hindglance/core/change/build";
import type { Operator } from "@hindglance/core/change/rules";
import { InputError } from "@hindglance/core/errors";
import type { BandInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, canonicalJson, nodeHash, node } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { type Grid, squareNorthUp } from "@hindglance/core/grid/grid";
import { meanOfZone } from "@hindglance/core/tally/zoneSums";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { findSeries } from "../db/nodes";
import { listZones } from "../db/scenes";
import { AppError } from "../errors";
import { type ReadyScene } from "../products/families";
import { isDate, sideNode, studySides } from "../products/sides";
import type { ZonePolygons } from "../runs/mapPhases";
import { nodeView, register } from "./nodes";
import type { Services } from "./services";
import { comparingOf } from "@hindglance/core/change/comparing";
import { areaOnGrid } from "@hindglance/core/change/areaOnGrid";

/** Dates that are measured in one go, at the most. */
const MOST_DATES = 400;

/** Routes of what is counted on every date by itself. */
export function seriesRoutes(api: Router, services: Services): void {
  const { db, engine } = services;

  /**
   * Area beyond a value on every date of a kind, by zone, with the mean of the band; as a run until
   * it is known.
   */
  serve(api, routes.count, async ({ params, body }) => {
    const all = await db.withClient((client) => studySides(client, params.id));
    const dates: { scene: ReadyScene; node: NodeSpec }[] = [];
    const left: { sceneId: string; name: string; reason: string }[] = [];
    const seen = new Set<string>();
    const scenes = all.scenes
      .filter(isDate)
      .filter((scene) => scene.kind === body.kind && scene.acquiredAt)
      .sort((readyScene, y) => (readyScene.acquiredAt! < y.acquiredAt! ? -1 : 1));
    let grid: Grid | null = null;
    let unit = "";
    let decibel = false;
    let like: BandInfo | null = null;
    for (const scene of scenes) {
      try {
        const side = await sideNode(services.sources, all, scene);
        const wanted: BandInfo | undefined =
          like ?? side.info.bands.find((band) => (band.polarisation ?? band.name) === body.band);
        if (!wanted || !comparingOf(wanted)) {
          throw new InputError(`has no band ${body.band}`);
        }
        const k = sameBand(wanted, side.info);
        if (!grid) {
          grid = squareNorthUp(side.info.grid);
          like = wanted;
          decibel = comparingOf(wanted) === "power";
          unit = decibel ? "dB" : wanted.unit;
        }
        let n: NodeSpec = dateNodes(side, [k], grid, body.speckle).db;
        if (body.studyArea) {
          if (!all.study.studyArea) {
            throw new AppError(
              422,
              "invalid",
              "This study has no study area",
              "studyArea",
              "Draw one in Scenes, or count everything.",
            );
          }
          n = node(
            "bands.mask",
            {},
            n,
            node(
              "mask.studyArea",
              { polygons: areaOnGrid(multiPolygonFrom(all.study.studyArea), grid) },
              n,
            ),
          );
        }
        const h = nodeHash(n, versionOf);
        // Frames of one day that Mosaic has joined are one date.
        if (!seen.has(h)) {
          seen.add(h);
          dates.push({ scene, node: n });
        }
      } catch (error) {
        if (!(error instanceof InputError)) {
          throw error;
        }
        left.push({ sceneId: scene.id, name: scene.name, reason: error.message });
      }
    }
    if (dates.length < 2 || !grid) {
      throw new AppError(
        422,
        "tooFewDates",
        dates.length
          ? `Only one date has the band ${body.band}`
          : `No date of this kind has the band ${body.band}`,
        "band",
        "Two dates or more are needed; see Scenes and Prepare.",
      );
    }
    if (dates.length > MOST_DATES) {
      throw new AppError(
        422,
        "tooManyDates",
        `${dates.length} dates are more than ${MOST_DATES}`,
        "kind",
        "Take dates out of the study.",
      );
    }
    const zone = body.zones
      ? ((await db.withClient((client) => listZones(client, all.study.id)))[0] ?? null)
      : null;
    const names = zone
      ? zone.features.features.map((feature) => String(feature.properties[zone.nameField]))
      : [];
    const zones: ZonePolygons = zone
      ? zone.features.features.map((feature, i) => ({
          name: names[i]!,
          polygons: areaOnGrid(multiPolygonFrom(feature.geometry), grid),
        }))
      : [];
    const rows = await Promise.all(dates.map((date) => register(services, date.node)));
    const key = createHash("sha256")
      .update(
        canonicalJson({
          dates: rows.map((row) => row.hash),
          op: body.op,
          value: body.value,
          zones: zones.map((z) => z.polygons),
        }),
      )
      .digest("hex")
      .slice(0, 32);
    const found = await db.withClient((client) => findSeries(client, key));
    const out = {
      key,
      unit,
      band: body.band,
      zones: names,
      left,
      grid,
      dates: dates.map((date, k) => ({
        sceneId: date.scene.id,
        name: date.scene.name,
        acquiredAt: date.scene.acquiredAt!,
        node: nodeView(rows[k]!),
        zones: found
          ? (found.dates[k]?.zones ?? []).map((zoneSum) => ({
              seenM2: zoneSum.seenM2,
              beyondM2: zoneSum.beyondM2,
              beyondCells: zoneSum.beyondCells,
              cells: zoneSum.cells,
              mean: meanOfZone(zoneSum, decibel),
            }))
          : null,
        mean: found?.dates[k]
          ? meanOfZone(
              found.dates[k].zones.reduce((zoneSum, y) => ({
                cells: zoneSum.cells + y.cells,
                seenM2: 0,
                beyondCells: 0,
                beyondM2: 0,
                sum: zoneSum.sum + y.sum,
              })),
              decibel,
            )
          : null,
      })),
    };
    if (found) {
      return out;
      return;
    }
    const told = {
      key,
      info: rows[0]!.info,
      dates: dates.map((date) => ({ sceneId: date.scene.id, node: date.node })),
      op: body.op as Operator,
      value: body.value,
      decibel,
      zones,
    };
    const runId = await db.withTransaction((client) =>
      engine.submit(client, {
        studyId: all.study.id,
        kind: "measureSeries",
        title: `Measure ${dates.length} dates`,
        params: told,
      }),
    );
    return new Reply(202, { ...out, runId });
  });
}
