import type { Router } from "express";
import * as yup from "yup";
import { createPin, deletePin, listPins, updatePin } from "../db/pins";
import { addToLedger, findStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { placeOf, valuesAt } from "../products/values";
import { checked, idOf } from "./http";
import type { Services } from "./services";

const lon = yup.number().min(-180).max(180).required();
const lat = yup.number().min(-90).max(90).required();
const name = yup.string().trim().min(1, "Give the pin a name").max(80);
const expected = yup
  .object({
    sceneId: yup.string().uuid().nullable().defined(),
    band: yup.string().max(80).required(),
    value: yup.number().required(),
    tolerance: yup.number().moreThan(0, "The tolerance must be more than 0").required(),
  })
  .noUnknown()
  .nullable();
const createSchema = yup
  .object({ name: name.required(), lon, lat, expected: expected.default(null) })
  .noUnknown();
const updateSchema = yup.object({ name, expected: expected.optional() }).noUnknown();
const valuesSchema = yup
  .object({
    places: yup
      .array(yup.array(yup.number().required()).length(2).required())
      .min(1)
      .max(200)
      .required(),
    sizeCells: yup.number().oneOf([1, 3, 5, 7, 9, 15]),
  })
  .noUnknown();
const placeSchema = yup
  .object({ line: yup.number().required(), sample: yup.number().required() })
  .noUnknown();

/** Routes of pins and of values at places. */
export function pinRoutes(api: Router, services: Services): void {
  const { db } = services;
  api.get("/studies/:id/pins", async (req, res) => {
    res.json(await db.withClient((client) => listPins(client, idOf(req))));
  });
  api.post("/studies/:id/pins", async (req, res) => {
    const studyId = idOf(req);
    const b = checked(createSchema, req.body, "body");
    const pin = await db.withTransaction(async (client) => {
      if (!(await findStudy(client, studyId))) {
        throw notFound("study");
      }
      const ownPin = await createPin(client, {
        studyId,
        name: b.name,
        lon: b.lon,
        lat: b.lat,
        expected: b.expected,
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
    res.status(201).json(pin);
  });
  api.patch("/pins/:id", async (req, res) => {
    const b = checked(updateSchema, req.body, "body");
    const pin = await db.withClient((client) =>
      updatePin(client, idOf(req), {
        name: b.name,
        expected: b.expected,
      }),
    );
    if (!pin) {
      throw notFound("pin");
    }
    res.json(pin);
  });
  api.delete("/pins/:id", async (req, res) => {
    if (!(await db.withClient((client) => deletePin(client, idOf(req))))) {
      throw notFound("pin");
    }
    res.status(204).end();
  });

  /** What every scene of the study shows at places in longitude and latitude. */
  api.post("/studies/:id/values", async (req, res) => {
    const id = idOf(req);
    const b = checked(valuesSchema, req.body, "body");
    const places = b.places as [number, number][];
    const odd = places.findIndex(([x, y]) => Math.abs(x) > 180 || Math.abs(y) > 90);
    if (odd >= 0) {
      throw new AppError(
        422,
        "invalid",
        "A place is longitude and latitude in degrees",
        `places[${odd}]`,
      );
    }
    res.json(await valuesAt(services, id, places, b.sizeCells ?? 1));
  });
  api.post("/scenes/:id/place", async (req, res) => {
    const b = checked(placeSchema, req.body, "body");
    res.json(await placeOf(services, idOf(req), b.line, b.sample));
  });
}
