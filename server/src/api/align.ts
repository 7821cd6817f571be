import type { Router } from "express";
import * as yup from "yup";
import {
  type Alignment,
  type Levelling,
  type OffsetPlace,
  type PointsPlace,
  levellingSchema,
  offsetSchema,
  pointsSchema,
  usedPoints,
} from "@hindglance/core/align/alignment";
import { OFFSET_MODELS, offsetPath } from "@hindglance/core/align/offset";
import { fitPoints, LEAST_POINTS } from "@hindglance/core/align/points";
import { sameBand } from "@hindglance/core/change/setup";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node } from "@hindglance/core/graph/node";
import { cellSize, squareNorthUp, toMap } from "@hindglance/core/grid/grid";

import { addToLedger, lockStudy, updateStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import type { ReadyScene } from "../products/families";
import { named } from "../products/leftToRun";
import { type StudySides, isDate, rawNode, sideNode, studySides } from "../products/sides";
import { checked, idOf } from "./http";
import { nodeView, register, shown } from "./nodes";
import type { Services } from "./services";
import { onGrid } from "@hindglance/core/graph/onGrid";
import { isPictureFrame } from "@hindglance/core/grid/frames";
import { comparingOf } from "@hindglance/core/change/comparing";

const id = yup.string().uuid().required();
const offsetAsk = yup
  .object({
    referenceId: id,
    sceneId: id,
    band: yup.string().max(120).required(),
    model: yup.string().oneOf(OFFSET_MODELS).required(),
  })
  .noUnknown();
const checkAsk = yup
  .object({
    referenceId: id,
    sceneId: id,
    band: yup.string().max(120).required(),
    aligned: yup.boolean().required(),
  })
  .noUnknown();
const levelAsk = yup
  .object({
    referenceId: id,
    sceneId: id,
    method: yup
      .string()
      .oneOf(["unchanged", "histogram"] as const)
      .required(),
  })
  .noUnknown();
const placeSchema = yup
  .object({
    place: yup.lazy((value: { kind?: string } | null | undefined) => {
      if (value === null) {
        return yup.mixed().nullable();
      }
      if (value?.kind === "offset") {
        return offsetSchema;
      }
      return pointsSchema.required();
    }) as never,
    level: levellingSchema.nullable().default(undefined),
  })
  .noUnknown();

/** A scene of the study that can be aligned. @throws AppError 422 */
function dateIn(all: StudySides, sceneId: string, field: string): ReadyScene {
  const scene = all.scenes.find((x) => x.id === sceneId);
  if (!scene || !isDate(scene)) {
    throw new AppError(
      422,
      "invalid",
      "This scene is not in the study, or is still being imported",
      field,
    );
  }
  return scene;
}

/** Routes of Align: what is done to each date, and what is measured for it. */
export function alignRoutes(api: Router, services: Services): void {
  const { db, previews, sources } = services;
  const open = (studyId: string) => db.withClient((client) => studySides(client, studyId));
  const raw = (all: StudySides, readyScene: ReadyScene) =>
    named(readyScene, async (): Promise<{ node: NodeSpec; info: ImageInfo }> => {
      const n = rawNode(all, readyScene);
      return { node: n, info: await new Evaluator({ sources }).info(n) };
    });

  /** Every date as it lies by itself and as Align leaves it. */
  api.get("/studies/:id/align", async (req, res) => {
    const all = await open(idOf(req));
    res.json(
      await Promise.all(
        all.scenes.filter(isDate).map(async (scene) => {
          const base = {
            sceneId: scene.id,
            name: scene.name,
            acquiredAt: scene.acquiredAt,
            kind: scene.kind,
            align: all.align[scene.id] ?? null,
            picture: isPictureFrame(scene.info.grid.crs),
          };
          try {
            const r = rawNode(all, scene);
            const info = await new Evaluator({ sources }).info(r);
            const whole = isPictureFrame(info.grid.crs)
              ? r
              : onGrid(r, info, squareNorthUp(info.grid));
            const before = nodeView(await register(services, shown(whole, info)));
            try {
              const side = await sideNode(sources, all, scene);
              const after = onGrid(side.node, side.info, squareNorthUp(side.info.grid));
              return {
                ...base,
                raw: before,
                aligned: nodeView(await register(services, shown(after, side.info))),
                problem: null,
              };
            } catch (error) {
              if (!(error instanceof InputError)) {
                throw error;
              }
              return { ...base, raw: before, aligned: null, problem: error.message };
            }
          } catch (error) {
            if (!(error instanceof InputError)) {
              throw error;
            }
            return { ...base, raw: null, aligned: null, problem: error.message };
          }
        }),
      ),
    );
  });

  /**
   * Both dates in one band on the reference's grid, one over the other: pictures, both in one, and
   * their edges.
   */
  api.post("/studies/:id/align/check", async (req, res) => {
    const b = checked(checkAsk, req.body, "body");
    const all = await open(idOf(req));
    const ref = dateIn(all, b.referenceId, "referenceId");
    const date = dateIn(all, b.sceneId, "sceneId");
    const r = await named(ref, () => sideNode(sources, all, ref));
    const dateNode = await named(date, () =>
      b.aligned ? sideNode(sources, all, date) : raw(all, date),
    );
    const k = r.info.bands.findIndex((band) => band.name === b.band);
    const grid = squareNorthUp(r.info.grid);
    if (k < 0) {
      throw new AppError(422, "invalid", `${ref.name} has no band ${b.band}`, "band");
    }
    if (isPictureFrame(dateNode.info.grid.crs)) {
      throw new AppError(
        422,
        "invalid",
        `${date.name} has no position yet`,
        "sceneId",
        "Mark control points.",
      );
    }
    // A picture of another kind is looked at in its first band.
    const like = (): number => {
      try {
        return sameBand(r.info.bands[k]!, dateNode.info);
      } catch (error) {
        if (error instanceof InputError) {
          return 0;
        }
        throw error;
      }
    };
    const j = like();
    const one = (n: NodeSpec, info: ImageInfo, band: number) =>
      onGrid(
        node("bands.select", { bands: [band] }, n),
        { ...info, bands: [info.bands[band]!] },
        grid,
      );
    const reference = one(r.node, r.info, k);
    const other = one(dateNode.node, dateNode.info, j);
    const seen = async (n: NodeSpec, info: ImageInfo, band: number) =>
      register(services, shown(n, { ...info, bands: [info.bands[band]!] }));
    const [before, after] = [await seen(reference, r.info, k), await seen(other, dateNode.info, j)];
    const [stack, edgesBefore, edgesAfter] = await Promise.all(
      [
        node("bands.stack", { names: ["reference", "date"] }, before.spec, after.spec),
        node("align.edges", {}, reference),
        node("align.edges", {}, other),
      ].map((n) => register(services, n)),
    );
    res.json({
      reference: nodeView(before),
      date: nodeView(after),
      both: nodeView(stack!),
      edges: { reference: nodeView(edgesBefore!), date: nodeView(edgesAfter!) },
    });
  });

  /** Measures how a date lies off another; what it finds is given back and not yet taken. */
  api.post("/studies/:id/align/offset", async (req, res) => {
    const b = checked(offsetAsk, req.body, "body");
    const all = await open(idOf(req));
    const ref = dateIn(all, b.referenceId, "referenceId");
    const date = dateIn(all, b.sceneId, "sceneId");
    if (ref.id === date.id) {
      throw new AppError(
        422,
        "invalid",
        "A date cannot be aligned with itself",
        "referenceId",
        "Pick another reference.",
      );
    }
    const r = await named(ref, () => sideNode(sources, all, ref));
    const dateNode = await raw(all, date);
    const k = r.info.bands.findIndex((band) => band.name === b.band);
    if (isPictureFrame(dateNode.info.grid.crs)) {
      throw new AppError(
        422,
        "invalid",
        `${date.name} has no position yet: an offset can be measured where dates lie nearly on each other`,
        "sceneId",
        "Mark control points.",
      );
    }
    if (k < 0) {
      throw new AppError(422, "invalid", `${ref.name} has no band ${b.band}`, "band");
    }
    const other = await named(date, async () => sameBand(r.info.bands[k]!, dateNode.info));
    const grid = squareNorthUp(r.info.grid);
    const [cell] = cellSize(grid);
    const one = (n: NodeSpec, info: ImageInfo, band: number) =>
      onGrid(
        node("bands.select", { bands: [band] }, n),
        { ...info, bands: [info.bands[band]!] },
        grid,
      );
    const found = await previews.offset({
      reference: one(r.node, r.info, k),
      other: one(dateNode.node, dateNode.info, other),
      model: b.model,
    });
    const place: OffsetPlace = {
      kind: "offset",
      referenceId: ref.id,
      band: b.band,
      model: b.model,
      path: offsetPath(found.fit, grid),
      tried: found.tried,
      rmseCells: found.fit.rmseCells,
      cellM: cell,
      kernel: "cubic",
      matches: found.matches.map((match, i) => {
        const [x, y] = toMap(grid, match.col, match.row);
        const [x1, y1] = toMap(grid, match.col + match.dCol, match.row + match.dRow);
        return {
          x,
          y,
          dx: x1 - x,
          dy: y1 - y,
          ratio: Math.min(1e6, match.ratio),
          kept: found.fit.kept[i]!,
        };
      }),
    };
    res.json({ place });
  });

  /**
   * Measures how the numbers of a date lie off another's; what it finds is given back and not yet
   * taken.
   */
  api.post("/studies/:id/align/level", async (req, res) => {
    const b = checked(levelAsk, req.body, "body");
    const all = await open(idOf(req));
    const ref = dateIn(all, b.referenceId, "referenceId");
    const date = dateIn(all, b.sceneId, "sceneId");
    if (ref.id === date.id) {
      throw new AppError(
        422,
        "invalid",
        "A date cannot be levelled to itself",
        "referenceId",
        "Pick another reference.",
      );
    }
    const plain: StudySides = {
      ...all,
      align: {
        ...all.align,
        [date.id]: { place: all.align[date.id]?.place ?? null, level: null },
      },
    };
    const r = await named(ref, () => sideNode(sources, all, ref));
    const dateNode = await named(date, () => sideNode(sources, plain, date));
    const pairs = dateNode.info.bands
      .map((band, k) => ({ x: band, k }))
      .filter(
        ({ x: band }) =>
          comparingOf(band) !== null &&
          (band.role === "power" ||
            band.role === "reflectance" ||
            dateNode.info.bands.every((y) => y.role !== "reflectance")),
      )
      .flatMap(({ x: band, k }) => {
        try {
          return [{ x: band, k, j: sameBand(band, r.info) }];
        } catch (error) {
          if (error instanceof InputError) {
            return [];
          }
          throw error;
        }
      });
    if (pairs.length === 0) {
      throw new AppError(
        422,
        "invalid",
        `${date.name} and ${ref.name} have no band in common`,
        "referenceId",
        "Pick a date of the same kind.",
      );
    }
    const grid = squareNorthUp(r.info.grid);
    const some = (n: NodeSpec, info: ImageInfo, bands: number[]) =>
      onGrid(
        node("bands.select", { bands }, n),
        { ...info, bands: bands.map((k) => info.bands[k]!) },
        grid,
      );
    const fit = await previews.level({
      reference: some(
        r.node,
        r.info,
        pairs.map((pair) => pair.j),
      ),
      other: some(
        dateNode.node,
        dateNode.info,
        pairs.map((pair) => pair.k),
      ),
      method: b.method,
      names: pairs.map((pair) => pair.x.name),
    });
    const level: Levelling = {
      referenceId: ref.id,
      method: b.method,
      cells: fit.cells,
      bands: fit.bands.map(({ band, multiply, add }) => ({ band, multiply, add })),
    };
    res.json({ level, fit });
  });

  /** What Align does to a date from now on; null takes a part of it away. */
  api.put("/studies/:id/align/:sceneId", async (req, res) => {
    const studyId = idOf(req);
    const sceneId = String(req.params.sceneId);
    const b = checked(placeSchema, req.body, "body") as {
      place: OffsetPlace | PointsPlace | null;
      level?: Levelling | null;
    };
    const out = await db.withTransaction(async (client) => {
      await lockStudy(client, studyId);
      const all = await studySides(client, studyId);
      const date = all.scenes.find((scene) => scene.id === sceneId);
      if (!date || !isDate(date)) {
        throw notFound("scene");
      }
      for (const [field, to] of [
        ["place.referenceId", b.place?.referenceId],
        ["level.referenceId", b.level?.referenceId],
      ] as const) {
        if (
          to !== undefined &&
          (to === sceneId || !all.scenes.some((scene) => scene.id === to && isDate(scene)))
        ) {
          throw new AppError(
            422,
            "invalid",
            to === sceneId
              ? "A date cannot be its own reference"
              : "The reference is not in the study",
            field,
            "Pick another one.",
          );
        }
      }
      const twice =
        b.place?.kind === "points"
          ? b.place.points.find((point, k, list) =>
              list.some((earlier, j) => j < k && earlier.id === point.id),
            )
          : undefined;
      if (twice) {
        throw new AppError(
          422,
          "invalid",
          `There are two points called ${twice.id}`,
          "place.points",
        );
      }
      // Points that are still too few are kept, and take hold once there are enough.
      if (b.place?.kind === "points" && usedPoints(b.place).length >= LEAST_POINTS[b.place.model]) {
        fitPoints(
          usedPoints(b.place),
          b.place.model,
          b.place.smoothing,
          isPictureFrame(date.info.grid.crs),
        );
      }
      const next: Alignment = {
        place: b.place,
        level: b.level === undefined ? (all.align[sceneId]?.level ?? null) : b.level,
      };
      await updateStudy(client, studyId, { align: { ...all.align, [sceneId]: next } });
      await addToLedger(client, studyId, "Date aligned", {
        scene: date.name,
        place: next.place
          ? next.place.kind === "offset"
            ? {
                kind: "offset",
                model: next.place.model,
                band: next.place.band,
                rmseCells: next.place.rmseCells,
                windows: next.place.matches.length,
              }
            : { kind: "points", model: next.place.model, points: usedPoints(next.place).length }
          : null,
        level: next.level
          ? { method: next.level.method, cells: next.level.cells, bands: next.level.bands }
          : null,
      });
      return next;
    });
    res.json(out);
  });
}
