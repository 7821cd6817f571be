import { verdictRoutes as routes } from "@hindglance/contract/verdicts";
import { agreementOf } from "@hindglance/core/review/standing";
import type { Router } from "express";
import type { Client } from "../db/pool";
import {
  type Saying,
  judgedByTwo,
  listActs,
  listReviewers,
  listSaid,
  sayOf,
  standingAreas,
  turnAct,
} from "../db/verdicts";
import { AppError, notFound } from "../errors";
import type { AnswerOf, RequestOf } from "@hindglance/contract/route";
import { requireMap } from "./requireMap";
import { type Work, serve } from "./serve";
import type { Services } from "./services";

type Body = RequestOf<typeof routes.say>["body"];

/** What is said of which patches. @throws AppError where nothing is said, or it is not clear of which */
function sayingOf({ reviewer, ...body }: Body): Saying {
  const { verdict = null, note = null, numbers = null, which = null } = body;
  if (verdict === null && note === null) {
    throw new AppError(422, "invalid", "Nothing is said", "verdict", "Give a verdict or a note.");
  }
  if ((numbers === null) === (which === null)) {
    throw new AppError(
      422,
      "invalid",
      "It is not said of which patches",
      "numbers",
      "Give either the numbers of patches or which are meant.",
    );
  }
  return { reviewer, verdict, note, which: numbers ? { numbers } : which! };
}

const say =
  ({ db }: Services): Work<typeof routes.say> =>
  async ({ params: { id }, body }) => {
    const saying = sayingOf(body);
    const done = await db.withTransaction((client) => sayOf(client, id, saying));
    if (!done) {
      throw notFound("change map");
    }
    return done;
  };

const turn =
  ({ db }: Services): Work<typeof routes.turn> =>
  async ({ params: { id, act }, body: { undone } }) => {
    const number = Number(act);
    const patches = Number.isSafeInteger(number)
      ? await db.withTransaction((client) => turnAct(client, id, number, undone))
      : null;
    if (patches === null) {
      throw notFound("act");
    }
    return { patches };
  };

/** How the patches of a map stand. @throws AppError 404 */
async function standing(client: Client, id: string): Promise<AnswerOf<typeof routes.standing>> {
  const map = await requireMap(client, id);
  const areas = await standingAreas(client, id);
  const pairs = await judgedByTwo(client, id);
  return {
    areas,
    zonesKnown:
      !map.provenance.zones || areas.length === 0 || areas.some(({ zone }) => zone !== null),
    reviewers: await listReviewers(client, id),
    agreement: pairs.map(({ reviewers, ...both }) => ({ reviewers, ...agreementOf(both) })),
  };
}

/** Routes of what reviewers say of the patches of a map. */
export function verdictRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.say, say(services));
  serve(api, routes.turn, turn(services));
  serve(api, routes.acts, ({ params }) => db.withClient((client) => listActs(client, params.id)));
  serve(api, routes.of, ({ params: { id, number } }) => {
    const patch = Number(number);
    return Number.isInteger(patch)
      ? db.withClient((client) => listSaid(client, id, patch))
      : Promise.resolve([]);
  });
  serve(api, routes.standing, ({ params }) =>
    db.withTransaction((client) => standing(client, params.id)),
  );
}
