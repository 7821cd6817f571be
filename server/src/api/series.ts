import { createHash } from "node:crypto";
import type { Router } from "express";
import * as yup from "yup";
import { dateNodes } from "@hindglance/core/change/build";
import { OPERATORS, type Operator } from "@hindglance/core/change/rules";
import { type ChangeSetup, changeSetupSchema, sameBand } from "@hindglance/core/change/setup";
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
import { checked, idOf } from "./http";
import { nodeView, register } from "./nodes";
import type { Services } from "./services";
import { comparingOf } from "@hindglance/core/change/comparing";
import { areaOnGrid } from "@hindglance/core/change/areaOnGrid";

const seriesSchema = yup
  .object({
    kind: yup
      .string()
      .oneOf(["radar", "optical", "other"] as const)
      .required(),
    band: yup.string().max(120).required(),
    op: yup.string().oneOf(OPERATORS).required(),
    value: yup.number().min(-1e6).max(1e6).required(),
    speckle: changeSetupSchema.fields.speckle as yup.Schema<ChangeSetup["speckle"]>,
    studyArea: yup.boolean().required(),
    zones: yup.boolean().required(),
  })
  .noUnknown();
/** Dates that are measured in one go, at the most. */
const MOST_DATES = 400;

/** Routes of what is counted on every date by itself. */
export function seriesRoutes(api: Router, services: Services): void {
  const { db, engine } = services;

  /**
   * Area beyond a value on every date of a kind, by zone, with the mean of the band; as a run until
   * it is known.
   */
  api.post("/studies/:id/series", async (req, res) => {
    const b = checked(seriesSchema, req.body, "body");
    const all = await db.withClient((client) => studySides(client, idOf(req)));
    const dates: { scene: ReadyScene; node: NodeSpec }[] = [];
    const left: { sceneId: string; name: string; reason: string }[] = [];
    const seen = new Set<string>();
    const scenes = all.scenes
      .filter(isDate)
      .filter((scene) => scene.kind === b.kind && scene.acquiredAt)
      .sort((readyScene, y) => (readyScene.acquiredAt! < y.acquiredAt! ? -1 : 1));
    let grid: Grid | null = null;
    let unit = "";
    let decibel = false;
    let like: BandInfo | null = null;
    for (const scene of scenes) {
      try {
        const side = await sideNode(services.sources, all, scene);
        const wanted: BandInfo | undefined =
          like ?? side.info.bands.find((band) => (band.polarisation ?? band.name) === b.band);
        if (!wanted || !comparingOf(wanted)) {
          throw new InputError(`has no band ${b.band}`);
        }
        const k = sameBand(wanted, side.info);
        if (!grid) {
          grid = squareNorthUp(side.info.grid);
          like = wanted;
          decibel = comparingOf(wanted) === "power";
          unit = decibel ? "dB" : wanted.unit;
        }
        let n: NodeSpec = dateNodes(side, [k], grid, b.speckle).db;
        if (b.studyArea) {
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
          ? `Only one date has the band ${b.band}`
          : `No date of this kind has the band ${b.band}`,
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
    const zone = b.zones
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
          op: b.op,
          value: b.value,
          zones: zones.map((z) => z.polygons),
        }),
      )
      .digest("hex")
      .slice(0, 32);
    const found = await db.withClient((client) => findSeries(client, key));
    const out = {
      key,
      unit,
      band: b.band,
      zones: names,
      left,
      grid,
      dates: dates.map((date, k) => ({
        sceneId: date.scene.id,
        name: date.scene.name,
        acquiredAt: date.scene.acquiredAt,
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
      res.json(out);
      return;
    }
    const params = {
      key,
      info: rows[0]!.info,
      dates: dates.map((date) => ({ sceneId: date.scene.id, node: date.node })),
      op: b.op as Operator,
      value: b.value,
      decibel,
      zones,
    };
    const runId = await db.withTransaction((client) =>
      engine.submit(client, {
        studyId: all.study.id,
        kind: "measureSeries",
        title: `Measure ${dates.length} dates`,
        params,
      }),
    );
    res.status(202).json({ ...out, runId });
  });
}
