import type { Router } from "express";
import { fromToRoutes as routes } from "@hindglance/contract/fromTo";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import { type NodeSpec, node } from "@hindglance/core/graph/node";
import { findTally } from "../db/nodes";
import { holdMeasure, runningMeasure } from "../db/runs";
import { fromToNodes } from "../products/fromTo";
import { nodeView, register } from "./nodes";
import { serve } from "./serve";
import { whenLeft } from "./shared";
import type { Services } from "./services";

/** The run that measures a map: begun here, or joined. */
async function measured(
  { db, engine, sources }: Services,
  studyId: string,
  hash: string,
  map: NodeSpec,
): Promise<string> {
  const stages = node("limit.stages", { names: ["rules"] }, map);
  const info = await new Evaluator({ sources }).info(stages);
  return db.withTransaction(async (client) => {
    await holdMeasure(client, hash);
    const params = { key: hash, node: stages, info };
    const order = { studyId, kind: "measureAreas", title: "Measure land cover", params };
    return (await runningMeasure(client, studyId, hash)) ?? engine.submit(client, order);
  });
}

/** Routes of what became of what between two classified dates. */
export function fromToRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.patches, async ({ params, body, res }) => {
    const nodes = await db.withClient((client) => fromToNodes(client, params.id, body));
    const told = { node: nodes.transitions, label: body.label };
    return services.previews.patches(told, whenLeft(res));
  });
  serve(api, routes.make, async ({ params, body }) => {
    const nodes = await db.withClient((client) => fromToNodes(client, params.id, body));
    const view = async (spec: NodeSpec) => nodeView(await register(services, spec));
    const transitions = await view(nodes.transitions);
    const { hash } = transitions;
    const tally = await db.withClient((client) => findTally(client, hash));
    const runId = tally ? null : await measured(services, params.id, hash, nodes.transitions);
    return {
      ...{ transitions, hash, tally, runId, warnings: nodes.warnings },
      before: await view(nodes.before),
      after: await view(nodes.after),
    };
  });
}
