import type { Router } from "express";
import { type KeptModel, classifyRoutes as routes } from "@hindglance/contract/classify";
import { type Application, applicationIn } from "@hindglance/core/classify/application";
import { modelFrom } from "@hindglance/core/classify/modelText";
import { isObject } from "@hindglance/core/values";
import {
  findKeptModel,
  findModelText,
  forgetModel,
  keepModel,
  listKeptModels,
  saveModel,
  tellClassification,
} from "../db/classification";
import { addToLedger, lockStudy } from "../db/studies";
import { notFound } from "../errors";
import { serve } from "./serve";
import type { Services } from "./services";

/**
 * Keeps the model of a JSON text under a name.
 * @param applied how; null: as the text says @throws InputError where it is no model's text
 */
async function kept(
  { db }: Services,
  studyId: string,
  { name, text, applied }: { name: string; text: string; applied: Application | null },
): Promise<KeptModel> {
  const model = modelFrom(text);
  const { inputs, classes } = model;
  return db.withTransaction(async (client) => {
    if (!(await lockStudy(client, studyId))) {
      throw notFound("study");
    }
    const id = await saveModel(client, studyId, model);
    const how = applied ?? applicationIn(text, model);
    await keepModel(client, studyId, id, {
      ...{ name, ...how },
      ...{ inputs: [...inputs], classes: [...classes] },
    });
    await tellClassification(client, studyId);
    await addToLedger(client, studyId, "Model kept", { name, model: id });
    return (await findKeptModel(client, studyId, id))!;
  });
}

/** Routes of trained models: read as text, kept under names, taken in from files. */
export function modelRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.model, async ({ params }) => {
    const text = await db.withClient((client) => findModelText(client, params.model));
    if (text === null) {
      throw notFound("model");
    }
    const model: unknown = JSON.parse(text);
    return isObject(model) ? model : {};
  });
  serve(api, routes.models, ({ params }) =>
    db.withClient((client) => listKeptModels(client, params.id)),
  );
  serve(api, routes.keepModel, async ({ params, body }) => {
    const text = await db.withClient((client) => findModelText(client, params.model));
    if (text === null) {
      throw notFound("model");
    }
    return kept(services, params.id, { ...body, text });
  });
  serve(api, routes.importModel, async ({ params, body: { name, text } }) =>
    kept(services, params.id, { name, text, applied: null }),
  );
  serve(api, routes.forgetModel, async ({ params }) => {
    await db.withTransaction(async (client) => {
      if (!(await forgetModel(client, params.id, params.model))) {
        throw notFound("model");
      }
      await addToLedger(client, params.id, "Model no longer kept", { model: params.model });
    });
  });
}
