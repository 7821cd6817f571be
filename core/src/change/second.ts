import * as yup from "yup";
import { InputError } from "../errors";
import type { BandInfo, ImageInfo } from "../graph/image";
import { type NodeSpec, node } from "../graph/node";
import { onGrid } from "../graph/onGrid";
import type { Grid } from "../grid/grid";
import { INDICES, type Index } from "../optical/indices";
import { bandOfColour } from "../optical/wavelengths";
import { comparingOf } from "./comparing";
import type { SecondLayer } from "./rules";

/** Comparisons by which a layer of the second sensor says yes. */
export const SAYS = ["<", ">"] as const;

/** A condition on a layer of the second sensor that confirms classes of the map. */
export interface Confirms {
  /** Classes of the map that it is asked about. */
  labels: number[];
  layer: SecondLayer;
  op: (typeof SAYS)[number];
  value: number;
}

/** What is looked at in a scene of the second sensor: an index by its id, or one of its bands. */
export type SecondLook = { index: string; band?: null } | { index?: null; band: string };

/**
 * Another sensor that looked at the same ground on days near those of the pair: optical beside radar,
 * or radar beside optical.
 */
export interface SecondSensor {
  /** Its scene near before; null: none, and only what it saw near after can be asked for. */
  beforeId: string | null;
  /** Its scene near after. */
  afterId: string;
  look: SecondLook;
  /** What confirms classes; null: its layers are there for rules only. */
  confirms: Confirms | null;
}

/** Layers that a second sensor brings to rules, in the order of both dates. */
export const SECOND_LAYERS = [
  "secondBefore",
  "secondAfter",
  "secondChange",
] as const satisfies readonly SecondLayer[];

const lookSchema = yup
  .object({
    index: yup
      .string()
      .oneOf(INDICES.map(({ id }) => id))
      .nullable(),
    band: yup.string().trim().min(1).max(120).nullable(),
  })
  .noUnknown()
  .required()
  .test(
    "one",
    "must name an index or a band, and not both",
    ({ index, band }) => (index == null) !== (band == null),
  );

const confirmsSchema = yup
  .object({
    labels: yup.array(yup.number().integer().min(1).max(254).required()).min(1).max(64).required(),
    layer: yup.string().oneOf(SECOND_LAYERS).required(),
    op: yup.string().oneOf(SAYS).required(),
    value: yup.number().min(-1e6).max(1e6).required(),
  })
  .noUnknown()
  .nullable()
  .defined();

/** Schema of the settings of a second sensor. */
export const secondSchema = yup
  .object({
    beforeId: yup.string().uuid().nullable().defined(),
    afterId: yup.string().uuid().required(),
    look: lookSchema,
    confirms: confirmsSchema,
  })
  .noUnknown();

/** A date of the second sensor, and where its quality band says cloud. */
export interface SecondSide {
  node: NodeSpec;
  info: ImageInfo;
  cloud?: { node: NodeSpec; info: ImageInfo } | null;
}

/** Both dates of the second sensor, as far as they are there. */
export interface SecondSides {
  before: SecondSide | null;
  after: SecondSide | null;
}

const indexOf = (id: string): Index => INDICES.find((index) => index.id === id)!;

/** Indices whose bands a date has as reflectance. */
export const indicesIn = ({ bands }: Pick<ImageInfo, "bands">): Index[] => {
  const light = bands.filter(({ role }) => role === "reflectance");
  return INDICES.filter(({ needs }) => needs.every((need) => bandOfColour(light, need) >= 0));
};

/** Bands of a date that can be looked at as they are: power in decibels, reflectance, any number. */
export const bandsIn = ({ bands }: Pick<ImageInfo, "bands">): BandInfo[] =>
  bands.filter((band) => comparingOf(band) === "power" || comparingOf(band) === "value");

/** What is looked at, in words. */
export const lookName = (look: SecondLook): string =>
  look.index == null ? look.band : indexOf(look.index).name;

/** Unit of what is looked at in a date. */
export function lookUnit(look: SecondLook, { bands }: Pick<ImageInfo, "bands">): string {
  const band = look.index == null ? bands.find(({ name }) => name === look.band) : undefined;
  if (!band) {
    return "";
  }
  return comparingOf(band) === "power" ? "dB" : band.unit;
}

/** @throws InputError where the date has no such bands */
function lookedIn(look: SecondLook, { node: image, info }: SecondSide): NodeSpec {
  if (look.index != null) {
    const { name, formula } = indexOf(look.index);
    if (!indicesIn(info).some(({ id }) => id === look.index)) {
      throw new InputError(
        `The scene of the second sensor has no bands for ${name}`,
        "second.look",
        "Pick another index, or keep the reflectance beside the index in Prepare.",
      );
    }
    return node("optical.indices", { outputs: [{ name: SECOND, formula }], keep: false }, image);
  }
  const place = info.bands.findIndex(({ name }) => name === look.band);
  const comparing = place < 0 ? null : comparingOf(info.bands[place]!);
  if (comparing !== "power" && comparing !== "value") {
    throw new InputError(
      `The scene of the second sensor has no band ${look.band} that can be looked at`,
      "second.look",
      "Pick one of its bands.",
    );
  }
  const band = node("bands.select", { bands: [place] }, image);
  return comparing === "power" ? node("radar.decibel", {}, band) : band;
}

/** Name of the band that an index of the second sensor becomes. */
const SECOND = "second";

/**
 * What a date of the second sensor shows on the grid of a map: nodata where cloud or its shadow lies,
 * beyond its frame and where its chain took cells out. @throws InputError
 */
function dateNode(look: SecondLook, side: SecondSide, grid: Grid): NodeSpec {
  const shown = onGrid(lookedIn(look, side), side.info, grid);
  const { cloud } = side;
  const image = node("second.look", {}, shown);
  return cloud ? node("second.look", {}, shown, onGrid(cloud.node, cloud.info, grid)) : image;
}

/**
 * A layer of the second sensor on the grid of a map.
 * @throws InputError where its scene is not there, or has not what is looked at
 */
export function secondNode(
  second: SecondSensor,
  sides: SecondSides,
  layer: SecondLayer,
  grid: Grid,
): NodeSpec {
  const dateOf = (which: "before" | "after") => {
    const side = sides[which];
    if (!side) {
      throw new InputError(
        `The second sensor has no scene near ${which} that is in the study and ready`,
        `second.${which}Id`,
        "Pick one, or take away what asks for it.",
      );
    }
    return dateNode(second.look, side, grid);
  };
  if (layer === "secondBefore") {
    return dateOf("before");
  }
  return layer === "secondAfter"
    ? dateOf("after")
    : node("change.differences", {}, dateOf("before"), dateOf("after"));
}

/** Days that both sensors may lie apart before it is said. */
const NEAR_DAYS = 3;
const DAY_MS = 864e5;

/** A date by its name and its time. */
interface Dated {
  name: string;
  acquiredAt: string | null;
}

const daysApart = (one: Dated, other: Dated): number | null =>
  one.acquiredAt && other.acquiredAt
    ? (Date.parse(other.acquiredAt) - Date.parse(one.acquiredAt)) / DAY_MS
    : null;

const dayCount = (days: number): string => {
  const whole = Math.round(Math.abs(days));
  return whole === 1 ? "1 day" : `${whole} days`;
};

/**
 * What may be wrong with a second sensor: it saw the ground so many days off that water may have come
 * and gone, or not on the side of the event that it stands on.
 */
export function secondWarnings(
  pair: Record<"before" | "after", Dated>,
  second: { before: Dated | null; after: Dated | null },
): string[] {
  const warnings: string[] = [];
  const off = second.after ? daysApart(pair.after, second.after) : null;
  if (second.after && off !== null && Math.abs(off) > NEAR_DAYS) {
    warnings.push(
      `${second.after.name} is ${dayCount(off)} ${off > 0 ? "later" : "earlier"} than ${pair.after.name}: what both sensors say may differ because the ground changed in between.`,
    );
  }
  const since = second.after ? daysApart(pair.before, second.after) : null;
  if (second.after && since !== null && since <= 0) {
    warnings.push(`${second.after.name} is not later than before: it shows nothing of the event.`);
  }
  const before = second.before ? daysApart(second.before, pair.after) : null;
  if (second.before && before !== null && before <= 0) {
    warnings.push(
      `${second.before.name} is not earlier than after: it does not show how it was before.`,
    );
  }
  return warnings;
}
