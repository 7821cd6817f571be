import { editRoutes as routes } from "@hindglance/contract/edits";
import type { AnswerOf } from "@hindglance/contract/route";
import { MEASURE_BAND } from "@hindglance/core/doubt/plan";
import { node, sourceNode } from "@hindglance/core/graph/node";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { Tally } from "@hindglance/core/tally/tally";
import { outlineFrom } from "@hindglance/core/edit/outline";
import { patchGeometry } from "@hindglance/formats/tables/geojson";
import type { Router } from "express";
import type { ChangeMap } from "../db/changeMaps";
import {
  type ClassSum,
  addAct,
  countEditedIn,
  editPatchesIn,
  editedSets,
  editedSums,
  findAct,
  findEditHead,
  latestChild,
  listEditActs,
  lockEdits,
  setEditHead,
  writtenPatchesIn,
} from "../db/edits";
import { findImage } from "../db/images";
import type { Client } from "../db/pool";
import { AppError, notFound } from "../errors";
import { editedImage } from "../eval/edited";
import {
  editedPatch,
  firstNumberOf,
  outcomeOf,
  rowsOf,
  setsOf,
  sizingOn,
} from "../products/editing";
import { madeFromOfMap } from "../products/madeFrom";
import { forScreen } from "../report/outlines";
import { submitEditedMap } from "../runs/writeEditedMap";
import { nodeView, register } from "./nodes";
import { requireMap } from "./requireMap";
import { Reply, type Work, serve } from "./serve";
import type { Services } from "./services";
import { whenLeft } from "./shared";

/** A map with what is known of its image. @throws AppError 404 */
async function mapWithInfo(
  client: Client,
  id: string,
): Promise<{ map: ChangeMap; info: ImageInfo }> {
  const map = await requireMap(client, id);
  return { map, info: (await findImage(client, map.imageId))!.info };
}

const sumOf = (sums: readonly ClassSum[], label: number): { cells: number; areaM2: number } =>
  sums.find((one) => one.label === label) ?? { cells: 0, areaM2: 0 };

/** Areas by class as the map was written, and as its edits leave it. */
function areasOf(
  { tally }: ChangeMap,
  { classes }: ImageInfo,
  sums: { gone: ClassSum[]; made: ClassSum[] },
) {
  const written = Tally.from(tally);
  return (classes ?? []).map(({ label }) => {
    const was = written.total(label);
    const [gone, made] = [sumOf(sums.gone, label), sumOf(sums.made, label)];
    return {
      label,
      writtenCells: was.cells,
      writtenM2: was.areaM2,
      editedCells: was.cells - gone.cells + made.cells,
      editedM2: Math.max(0, was.areaM2 - gone.areaM2 + made.areaM2),
    };
  });
}

const state =
  (services: Services): Work<typeof routes.state> =>
  async ({ params: { id } }) => {
    const { map, ...told } = await services.db.withTransaction(async (client) => {
      const { map: found, info } = await mapWithInfo(client, id);
      const head = (await findEditHead(client, id))?.head ?? null;
      const sets = await editedSets(client, id, head);
      const acts = await listEditActs(client, id);
      return {
        ...{ map: found, head, acts },
        before: head === null ? null : (await findAct(client, id, { id: head }))!.parent,
        redo: await latestChild(client, id, head),
        areas: areasOf(found, info, await editedSums(client, id, sets)),
        ...{ gone: sets.gone.length, made: sets.made.length },
      };
    });
    const image = told.head === null ? map.imageId : editedImage(id, told.head);
    return { ...told, node: nodeView(await register(services, sourceNode(image))) };
  };

const doEdit =
  ({ db }: Services): Work<typeof routes.do> =>
  ({ params: { id }, body: { key, editor, edit } }) =>
    db.withTransaction(async (client) => {
      const { map, info } = await mapWithInfo(client, id);
      const { head, nextNumber } = await lockEdits(client, id, firstNumberOf(map));
      const done = await findAct(client, id, { key });
      if (done) {
        return { head: done.id, made: done.made };
      }
      const sets = await editedSets(client, id, head);
      const outcome = await outcomeOf({ client, map, info, sets }, edit);
      const rows = rowsOf(outcome, nextNumber, await sizingOn(client, map, info), info);
      const act = { parent: head, key, kind: edit.kind, editor, gone: outcome.gone };
      const made = rows.map(({ number }) => number);
      return { head: await addAct(client, id, act, rows), made };
    });

const go =
  ({ db }: Services): Work<typeof routes.go> =>
  ({ params: { id }, body: { head } }) =>
    db.withTransaction(async (client) => {
      const map = await requireMap(client, id);
      await lockEdits(client, id, firstNumberOf(map));
      if (head !== null && !(await findAct(client, id, { id: head }))) {
        throw notFound("act");
      }
      await setEditHead(client, id, head);
      return { head };
    });

/** Outlines of patches in a part of the map as its edits leave it. */
const outlines =
  ({ db }: Services): Work<typeof routes.outlines> =>
  ({ params: { id }, query: { box, limit, toleranceDeg } }) =>
    db.withTransaction(async (client): Promise<AnswerOf<typeof routes.outlines>> => {
      const { info } = await mapWithInfo(client, id);
      const sets = await setsOf(client, id);
      const [west, south, east, north] = box;
      const at = [west!, south!, east!, north!] as const;
      const written = await writtenPatchesIn(client, id, sets.gone, at, limit);
      const made = await editPatchesIn(client, id, sets.made, at, limit);
      const patches = [
        ...written.map(({ geometry, ...facts }) => ({
          ...{ ...facts, edited: false },
          outline: outlineFrom(geometry),
        })),
        ...made.map(({ outline, origin: _origin, zones: _zones, ...facts }) => ({
          ...{ ...facts, edited: true },
          outline: patchGeometry({ polygons: outline }, info.grid),
        })),
      ];
      return {
        count: await countEditedIn(client, id, sets, at),
        patches: patches
          .sort((one, other) => other.areaM2 - one.areaM2)
          .slice(0, limit)
          .map(({ outline, ...facts }) => ({
            ...facts,
            geometry: forScreen(outline, toleranceDeg),
          })),
      };
    });

const patch =
  ({ db }: Services): Work<typeof routes.patch> =>
  ({ params: { id, number } }) =>
    db.withTransaction(async (client) => {
      const { map, info } = await mapWithInfo(client, id);
      const on = { client, map, info, sets: await setsOf(client, id) };
      const wanted = Number(number);
      const found = Number.isInteger(wanted) ? await editedPatch(on, wanted) : null;
      if (!found) {
        throw notFound("patch");
      }
      return found;
    });

/** Ground that grows from a place. @throws AppError where the measure has no value there */
async function grownFrom(
  { previews }: Services,
  task: Parameters<Services["previews"]["grow"]>[0],
  left: AbortSignal,
) {
  try {
    return await previews.grow(task, left);
  } catch (error) {
    if (error instanceof AppError && error.field === "at") {
      throw new AppError(
        422,
        "invalid",
        "The measure is not counted at this place: a date does not show it, or a limit leaves it out",
        "at",
        "Click where the map counts, or draw the patch.",
      );
    }
    throw error;
  }
}

const grow =
  (services: Services): Work<typeof routes.grow> =>
  async ({ params: { id }, body: { at }, res }) => {
    const map = await services.db.withClient((client) => requireMap(client, id));
    const madeFrom = await madeFromOfMap(services, map);
    if (!madeFrom) {
      throw new AppError(
        409,
        "gone",
        "The dates of this map are not as they were any more: nothing can grow within its measure",
        undefined,
        "Draw the patch, or write the map again.",
      );
    }
    const image = node("bands.select", { bands: [MEASURE_BAND] }, madeFrom.gated);
    const found = await grownFrom(services, { image, at: [at[0], at[1]] }, whenLeft(res));
    const levels = Buffer.from(found.levels).toString("base64");
    return { grid: found.grid, levels, spread: found.spreads[0]! };
  };

const write =
  (services: Services): Work<typeof routes.write> =>
  async ({ params: { id }, body: { name } }) => {
    const { db, engine } = services;
    const madeFrom = await madeFromOfMap(
      services,
      await db.withClient((client) => requireMap(client, id)),
    );
    const runId = await db.withTransaction(async (client) => {
      const { map, info } = await mapWithInfo(client, id);
      const { head } = await lockEdits(client, id, firstNumberOf(map));
      if (head === null) {
        throw new AppError(
          422,
          "invalid",
          "This map has no edits: it stands as it was written",
          "name",
          "Edit a patch first.",
        );
      }
      return submitEditedMap(client, engine, { map, info, head, name, madeFrom });
    });
    return new Reply(202, { runId });
  };

/** Routes of edits of the patches of a map. */
export function editRoutes(api: Router, services: Services): void {
  serve(api, routes.state, state(services));
  serve(api, routes.do, doEdit(services));
  serve(api, routes.go, go(services));
  serve(api, routes.outlines, outlines(services));
  serve(api, routes.patch, patch(services));
  serve(api, routes.grow, grow(services));
  serve(api, routes.write, write(services));
}
