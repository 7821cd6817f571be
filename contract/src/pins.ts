import type { ClassInfo } from "@hindglance/core/graph/image";
import * as yup from "yup";
import { route } from "./route";
import {
  type Of,
  list,
  number,
  numberOrNull,
  ofCore,
  shape,
  text,
  textOrNull,
  uuid,
  uuidOrNull,
} from "./shapes";

const expected = yup
  .object({
    sceneId: uuidOrNull,
    band: yup.string().max(80).required(),
    value: number,
    tolerance: yup.number().moreThan(0, "The tolerance must be more than 0").required(),
  })
  .noUnknown();
/**
 * What a pin's band is expected to be: on one scene, or on every one that has the band. In the unit
 * that values are shown in.
 */
export type PinExpectation = Of<typeof expected>;

const pin = shape({
  id: uuid,
  studyId: uuid,
  name: text,
  lon: number,
  lat: number,
  expected: expected.nullable().defined(),
  createdAt: text,
});
/** A place that is kept. */
export type Pin = Of<typeof pin>;

const sceneValues = shape({
  sceneId: uuid,
  name: text,
  kind: text,
  acquiredAt: textOrNull,
  /** `key` is the same for the same band of all dates. */
  bands: list(shape({ key: text, name: text, unit: text, role: text, nm: yup.number() })),
  classes: yup.array(ofCore<ClassInfo>()).nullable().defined(),
  /** By place, by band. */
  values: list(list(numberOrNull)),
  problem: textOrNull,
});
/** Values of one scene at places. */
export type SceneValues = Of<typeof sceneValues>;

const placeValues = shape({
  scenes: list(sceneValues),
  /** Metres above the ellipsoid, from the study's elevation. */
  heights: list(numberOrNull),
});
/** What every scene of a study shows at places. */
export type PlaceValues = Of<typeof placeValues>;

const name = yup.string().trim().min(1, "Give the pin a name").max(80);
/** Sides of the square of cells whose mean a value is. */
export const VALUE_SIZES = [1, 3, 5, 7, 9, 15] as const;
const place = yup.tuple([number, number]).required();

/** Routes of pins and of values at places. */
export const pinRoutes = {
  list: route({ method: "GET", path: "/studies/:id/pins", answer: list(pin) }),
  create: route({
    method: "POST",
    path: "/studies/:id/pins",
    body: shape({
      name: name.required(),
      lon: yup.number().min(-180).max(180).required(),
      lat: yup.number().min(-90).max(90).required(),
      expected: expected.nullable().default(null),
    }),
    answer: pin,
  }),
  update: route({
    method: "PATCH",
    path: "/pins/:id",
    body: shape({ name, expected: expected.nullable().default(undefined).optional() }),
    answer: pin,
  }),
  remove: route({ method: "DELETE", path: "/pins/:id" }),
  /** What every scene of the study shows at places in longitude and latitude. */
  values: route({
    method: "POST",
    path: "/studies/:id/values",
    body: shape({
      places: yup.array(place).min(1).max(200).required(),
      sizeCells: yup.number().oneOf(VALUE_SIZES),
    }),
    answer: placeValues,
  }),
  /** Where a line and sample of a radar product lies on the ground. */
  place: route({
    method: "POST",
    path: "/scenes/:id/place",
    body: shape({ line: number, sample: number }),
    answer: shape({ lon: number, lat: number, height: numberOrNull }),
  }),
};
