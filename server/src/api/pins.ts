import { pinRoutes as routes } from "@hindglance/contract/pins";
import { Reply, serve } from "./serve";
import type { Router } from "express";
import { createPin, deletePin, listPins, updatePin } from "../db/pins";
import { addToLedger, findStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { requireOwnScenes } from "../products/ownScenes";
import { placeOf, valuesAt } from "../products/values";
import type { Services } from "./services";

/** Routes of pins and of values at places. */
export function pinRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.list, async ({ params }) =>
    db.withClient((client) => listPins(client, params.id)),
  );
  serve(api, routes.create, async ({ params, body }) => {
    const studyId = params.id;
    const pin = await db.withTransaction(async (client) => {
      if (!(await findStudy(client, studyId))) {
        throw notFound("study");
      }
      await requireOwnScenes(client, studyId, { "expected.sceneId": [body.expected?.sceneId] });
      const ownPin = await createPin(client, {
        studyId,
        name: body.name,
        lon: body.lon,
        lat: body.lat,
        expected: body.expected,
      });
      await addToLedger(client, studyId, "Pin set", {
        pin: ownPin.id,
        name: ownPin.name,
        lon: ownPin.lon,
        lat: ownPin.lat,
        expected: ownPin.expected,
      });
      return ownPin;
    });
    return new Reply(201, pin);
  });
  serve(api, routes.update, async ({ params, body }) => {
    const { name, expected } = body;
    return db.withTransaction(async (client) => {
      const pin = await updatePin(client, params.id, { name, expected });
      if (!pin) {
        throw notFound("pin");
      }
      await requireOwnScenes(client, pin.studyId, { "expected.sceneId": [expected?.sceneId] });
      return pin;
    });
  });
  serve(api, routes.remove, async ({ params }) => {
    if (!(await db.withClient((client) => deletePin(client, params.id)))) {
      throw notFound("pin");
    }
    return null;
  });

  /** What every scene of the study shows at places in longitude and latitude. */
  serve(api, routes.values, async ({ params, body }) => {
    const { id } = params;
    const places = body.places;
    const odd = places.findIndex(([x, y]) => Math.abs(x) > 180 || Math.abs(y) > 90);
    if (odd >= 0) {
      throw new AppError(
        422,
        "invalid",
        "A place is longitude and latitude in degrees",
        `places[${odd}]`,
      );
    }
    return await valuesAt(services, id, places, body.sizeCells ?? 1);
  });
  serve(api, routes.place, async ({ params, body }) =>
    placeOf(services, params.id, body.line, body.sample),
  );
}
