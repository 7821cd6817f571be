import { presetRoutes as routes } from "@hindglance/contract/presets";
import { Reply, serve } from "./serve";
import type { Router } from "express";
import { createPreset, deletePreset, listPresets } from "../db/presets";
import { notFound } from "../errors";
import type { Services } from "./services";

/** Routes of presets, which serve all studies. */
export function presetRoutes(api: Router, { db }: Services): void {
  serve(api, routes.list, async () => db.withClient(listPresets));
  serve(api, routes.create, async ({ body }) => {
    const { standing: _own, ...limits } = body.limits;
    // Dates of one study say nothing in another.
    return new Reply(
      201,
      await db.withTransaction((client) =>
        createPreset(client, { ...body, rules: body.rules, limits }),
      ),
    );
  });
  serve(api, routes.remove, async ({ params }) => {
    if (!(await db.withTransaction((client) => deletePreset(client, params.id)))) {
      throw notFound("preset");
    }
    return null;
  });
}
