import type { Router } from "express";
import {
  type AlignRow,
  type CheckNodes,
  alignRoutes as routes,
  alignmentSchema,
} from "@hindglance/contract/align";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node } from "@hindglance/core/graph/node";
import { onGrid } from "@hindglance/core/graph/onGrid";
import { isPictureFrame } from "@hindglance/core/grid/frames";
import { squareNorthUp } from "@hindglance/core/grid/grid";
import { AppError } from "../errors";
import {
  type Image,
  bandNamed,
  bandsOnGrid,
  pairIn,
  rawImage,
  sameBandOrNull,
  sideImage,
} from "../products/alignedPair";
import { lockStudy } from "../db/studies";
import type { ReadyScene } from "../products/families";
import { measureLevel, measureOffset } from "../products/measureAlignment";
import { setAlignment } from "../products/setAlignment";
import { type StudySides, isDate, rawNode, sideNode, studySides } from "../products/sides";
import { changedSettings } from "./changes";
import { checked } from "./http";
import { nodeView, register, shown } from "./nodes";
import { serve } from "./serve";
import type { Services } from "./services";

/** Routes of Align: what is done to each date, and what is measured for it. */
export function alignRoutes(api: Router, services: Services): void {
  const { db } = services;
  const open = (studyId: string) => db.withClient((client) => studySides(client, studyId));
  serve(api, routes.list, async ({ params }) => {
    const all = await open(params.id);
    return Promise.all(all.scenes.filter(isDate).map((scene) => rowOf(services, all, scene)));
  });
  serve(api, routes.check, async ({ params, body }) =>
    checkNodes(services, await open(params.id), body),
  );
  serve(api, routes.offset, async ({ params, body }) => ({
    place: await measureOffset(services, await open(params.id), body),
  }));
  serve(api, routes.level, async ({ params, body }) =>
    measureLevel(services, await open(params.id), body),
  );
  serve(api, routes.set, async ({ params, body }) =>
    db.withTransaction((client) => setAlignment(client, params.id, params.sceneId, body)),
  );
  serve(api, routes.change, async ({ params, body }) =>
    db.withTransaction(async (client) => {
      await lockStudy(client, params.id);
      const { align } = await studySides(client, params.id);
      const now = align[params.sceneId] ?? { place: null, level: null };
      const changed = changedSettings(now, body.changes, "alignment of this date");
      const wanted = checked(alignmentSchema, changed, "body");
      return setAlignment(client, params.id, params.sceneId, wanted);
    }),
  );
}

/** What refuses, in words, in place of what was wanted. @throws what is no refusal */
async function orProblem<T>(work: () => Promise<T>): Promise<T | { problem: string }> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof InputError) {
      return { problem: error.message };
    }
    throw error;
  }
}

/** A node for looking at, north up on square cells. */
async function view(services: Services, image: NodeSpec, info: ImageInfo) {
  const upright = isPictureFrame(info.grid.crs)
    ? image
    : onGrid(image, info, squareNorthUp(info.grid));
  return nodeView(await register(services, shown(upright, info)));
}

/** A date as it lies by itself and as Align leaves it. */
async function rowOf(services: Services, all: StudySides, scene: ReadyScene): Promise<AlignRow> {
  const row = {
    sceneId: scene.id,
    name: scene.name,
    acquiredAt: scene.acquiredAt,
    kind: scene.kind,
    align: all.align[scene.id] ?? null,
    picture: isPictureFrame(scene.info.grid.crs),
    raw: null,
    aligned: null,
    problem: null,
  };
  const { sources } = services;
  const raw = await orProblem(async () => {
    const image = rawNode(all, scene);
    return view(services, image, await new Evaluator({ sources }).info(image));
  });
  if ("problem" in raw) {
    return { ...row, ...raw };
  }
  const aligned = await orProblem(async () => {
    const side = await sideNode(sources, all, scene);
    const upright = onGrid(side.node, side.info, squareNorthUp(side.info.grid));
    return nodeView(await register(services, shown(upright, side.info)));
  });
  return "problem" in aligned ? { ...row, raw, ...aligned } : { ...row, raw, aligned };
}

/** Both dates in one band on the reference's grid: pictures, both in one, and their edges. */
async function checkNodes(
  services: Services,
  all: StudySides,
  ask: { referenceId: string; sceneId: string; band: string; aligned: boolean },
): Promise<CheckNodes> {
  const { sources } = services;
  const pair = pairIn(all, ask, null);
  const reference = await sideImage(sources, all, pair.reference);
  const date = await (ask.aligned ? sideImage : rawImage)(sources, all, pair.date);
  const band = bandNamed(reference, ask.band, pair.reference);
  if (isPictureFrame(date.info.grid.crs)) {
    throw new AppError(
      422,
      "invalid",
      `${pair.date.name} has no position yet`,
      "sceneId",
      "Mark control points.",
    );
  }
  // A picture of another kind is looked at in its first band.
  const other = sameBandOrNull(reference.info.bands[band]!, date) ?? 0;
  const grid = squareNorthUp(reference.info.grid);
  const seen = ({ info }: Image, image: NodeSpec, k: number) =>
    register(services, shown(image, { ...info, bands: [info.bands[k]!] }));
  const first = bandsOnGrid(reference, [band], grid);
  const second = bandsOnGrid(date, [other], grid);
  const before = await seen(reference, first, band);
  const after = await seen(date, second, other);
  const made = async (made: NodeSpec) => nodeView(await register(services, made));
  return {
    reference: nodeView(before),
    date: nodeView(after),
    both: await made(
      node("bands.stack", { names: ["reference", "date"] }, before.spec, after.spec),
    ),
    edges: {
      reference: await made(node("align.edges", {}, first)),
      date: await made(node("align.edges", {}, second)),
    },
  };
}
