import type { Router } from "express";
import * as yup from "yup";
import { changeSetupSchema } from "@hindglance/core/change/setup";
import { createPreset, deletePreset, listPresets } from "../db/presets";
import { notFound } from "../errors";
import { checked, idOf } from "./http";
import type { Services } from "./services";
import { MEASURES } from "@hindglance/core/change/measures/all";

const field = (name: "rules" | "limits") => changeSetupSchema.fields[name] as yup.Schema<object>;
const presetSchema = yup
  .object({
    name: yup.string().trim().min(1).max(60).required(),
    comparing: yup
      .string()
      .oneOf(["power", "value"] as const)
      .required(),
    unit: yup.string().max(20).defined(),
    measure: yup.string().oneOf(MEASURES).required(),
    formula: yup.string().max(2000).nullable().defined(),
    rules: field("rules"),
    limits: field("limits"),
  })
  .noUnknown();

/** Routes of presets, which serve all studies. */
export function presetRoutes(api: Router, { db }: Services): void {
  api.get("/presets", async (_req, res) => {
    res.json(await db.withClient(listPresets));
  });
  api.post("/presets", async (req, res) => {
    const b = checked(presetSchema, req.body, "body");
    const { standing: _own, ...limits } = b.limits as Record<string, unknown>;
    // Dates of one study say nothing in another.
    res
      .status(201)
      .json(
        await db.withTransaction((client) =>
          createPreset(client, { ...b, rules: b.rules, limits }),
        ),
      );
  });
  api.delete("/presets/:id", async (req, res) => {
    if (!(await db.withTransaction((client) => deletePreset(client, idOf(req))))) {
      throw notFound("preset");
    }
    res.status(204).end();
  });
}
