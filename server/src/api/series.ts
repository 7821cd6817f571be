import { createHash } from "node:crypto";
import type { Router } from "express";
import * as yup from "yup";
import { dateNodes } from "@hindglance/core/change/build";
import { OPERATORS, type Operator } from "@hindglance/core/change/rules";
import {
  type ChangeSetup,
  areaOnGrid,
  changeSetupSchema,
  comparingOf,
  node,
  sameBand,
} from "@hindglance/core/change/setup";
import { InputError } from "@hindglance/core/errors";
import type { BandInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, canonicalJson, nodeHash } from "@hindglance/core/graph/node";
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

export function seriesRoutes(api: Router, s: Services): void {
  const { db, engine } = s;

  /**
   * Area beyond a value on every date of a kind, by zone, with the mean of the band; as a run until
   * it is known.
   */
  api.post("/studies/:id/series", async (req, res) => {
    const b = checked(seriesSchema, req.body, "body");
    const all = await db.withClient((c) => studySides(c, idOf(req)));
    const dates: { scene: ReadyScene; node: NodeSpec }[] = [];
    const left: { sceneId: string; name: string; reason: string }[] = [];
    const seen = new Set<string>();
    const scenes = all.scenes
      .filter(isDate)
      .filter((x) => x.kind === b.kind && x.acquiredAt)
      .sort((x, y) => (x.acquiredAt! < y.acquiredAt! ? -1 : 1));
    let grid: Grid | null = null;
    let unit = "";
    let decibel = false;
    let like: BandInfo | null = null;
    for (const scene of scenes) {
      try {
        const side = await sideNode(s.sources, all, scene);
        const wanted: BandInfo | undefined =
          like ?? side.info.bands.find((x) => (x.polarisation ?? x.name) === b.band);
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
      } catch (e) {
        if (!(e instanceof InputError)) {
          throw e;
        }
        left.push({ sceneId: scene.id, name: scene.name, reason: e.message });
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
      ? ((await db.withClient((c) => listZones(c, all.study.id)))[0] ?? null)
      : null;
    const names = zone
      ? zone.features.features.map((f) => String(f.properties[zone.nameField]))
      : [];
    const zones: ZonePolygons = zone
      ? zone.features.features.map((f, i) => ({
          name: names[i]!,
          polygons: areaOnGrid(multiPolygonFrom(f.geometry), grid),
        }))
      : [];
    const rows = await Promise.all(dates.map((d) => register(s, d.node)));
    const key = createHash("sha256")
      .update(
        canonicalJson({
          dates: rows.map((r) => r.hash),
          op: b.op,
          value: b.value,
          zones: zones.map((z) => z.polygons),
        }),
      )
      .digest("hex")
      .slice(0, 32);
    const found = await db.withClient((c) => findSeries(c, key));
    const out = {
      key,
      unit,
      band: b.band,
      zones: names,
      left,
      grid,
      dates: dates.map((d, k) => ({
        sceneId: d.scene.id,
        name: d.scene.name,
        acquiredAt: d.scene.acquiredAt,
        node: nodeView(rows[k]!),
        zones: found
          ? (found.dates[k]?.zones ?? []).map((z) => ({
              seenM2: z.seenM2,
              beyondM2: z.beyondM2,
              beyondCells: z.beyondCells,
              cells: z.cells,
              mean: meanOfZone(z, decibel),
            }))
          : null,
        mean: found?.dates[k]
          ? meanOfZone(
              found.dates[k].zones.reduce((x, y) => ({
                cells: x.cells + y.cells,
                seenM2: 0,
                beyondCells: 0,
                beyondM2: 0,
                sum: x.sum + y.sum,
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
      dates: dates.map((d) => ({ sceneId: d.scene.id, node: d.node })),
      op: b.op as Operator,
      value: b.value,
      decibel,
      zones,
    };
    const runId = await db.withTransaction((c) =>
      engine.submit(c, {
        studyId: all.study.id,
        kind: "measureSeries",
        title: `Measure ${dates.length} dates`,
        params,
      }),
    );
    res.status(202).json({ ...out, runId });
  });
}
