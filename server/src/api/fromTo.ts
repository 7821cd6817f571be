import { createHash } from "node:crypto";
import type { Router } from "express";
import { fromToRoutes as routes } from "@hindglance/contract/fromTo";
import type { CoverPaths } from "@hindglance/core/cover/paths";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import { type NodeSpec, canonicalJson, node, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { findTally } from "../db/nodes";
import { holdMeasure, runningMeasure } from "../db/runs";
import type { AreasParams } from "../runs/measureAreas";
import { type FromToNodes, fromToNodes, pathNodes } from "../products/fromTo";
import { nodeView, register } from "./nodes";
import { serve } from "./serve";
import { shared, whenLeft } from "./shared";
import type { Services } from "./services";

/** Name of the areas of a map, by the zones that they are counted by. */
const keyOf = (hash: string, zones: string | null): string =>
  zones === null
    ? hash
    : createHash("sha256").update(`${hash} ${zones}`).digest("hex").slice(0, hash.length);

/** The run that measures a map: begun here, or joined. */
async function measured(
  { db, engine, sources }: Services,
  studyId: string,
  key: string,
  { transitions, zones }: FromToNodes,
): Promise<string> {
  const stages = node("limit.stages", { names: ["rules"] }, transitions);
  const info = await new Evaluator({ sources }).info(stages);
  return db.withTransaction(async (client) => {
    await holdMeasure(client, key);
    const params: AreasParams = { key, node: stages, info, zones: zones.polygons };
    const order = { studyId, kind: "measureAreas", title: "Measure land cover", params };
    return (await runningMeasure(client, studyId, key)) ?? engine.submit(client, order);
  });
}

/** Routes of what became of what between two classified dates. */
export function fromToRoutes(api: Router, services: Services): void {
  const { db } = services;
  const counts = shared<CoverPaths>(60);
  serve(api, routes.paths, async ({ params, body, res }) => {
    const { dates, mask } = await db.withClient((client) =>
      pathNodes(client, params.id, body.sceneIds),
    );
    const { classes, path } = body;
    const images = [...dates, ...(mask ? [mask] : [])];
    const hashes = images.map((image) => nodeHash(image, versionOf));
    const key = `${hashes.join(" ")} ${canonicalJson(classes)}`;
    const counted = await counts(key, whenLeft(res), (signal) =>
      services.previews.paths({ dates, mask, classes }, signal),
    );
    const shown =
      path && (await register(services, node("cover.path", { classes, path }, ...dates)));
    return { counted, shown: shown && nodeView(shown) };
  });
  serve(api, routes.patches, async ({ params, body, res }) => {
    const nodes = await db.withClient((client) => fromToNodes(client, params.id, body));
    const told = { node: nodes.transitions, label: body.label };
    return services.previews.patches(told, whenLeft(res));
  });
  serve(api, routes.make, async ({ params, body }) => {
    const nodes = await db.withClient((client) => fromToNodes(client, params.id, body));
    const view = async (spec: NodeSpec) => nodeView(await register(services, spec));
    const transitions = await view(nodes.transitions);
    const hash = keyOf(transitions.hash, nodes.zones.identity);
    const tally = await db.withClient((client) => findTally(client, hash));
    const runId = tally ? null : await measured(services, params.id, hash, nodes);
    return {
      ...{ transitions, hash, tally, runId, warnings: nodes.warnings },
      zones: nodes.zones.polygons.map(({ name }) => name),
      before: await view(nodes.before),
      after: await view(nodes.after),
    };
  });
}
