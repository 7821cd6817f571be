import * as yup from "yup";
import type { MultiPolygon } from "../vector/polygons";
import type { BandInfo, ImageInfo } from "../graph/image";
import type { DoubtFrom } from "../doubt/mapDoubt";
import type { NodeSpec } from "../graph/node";
import { InputError } from "../errors";
import {
  type GroupClass,
  type GroupParams,
  groupClassSchema,
  groupShape,
} from "../graph/steps/groups";
import { FALSE_ALARM_KM2 } from "../radar/falseAlarms";
import { AWAY_SIDES, type AwaySide } from "../normal/away";
import { comparingOf } from "./comparing";
import { type LimitName, type Limits, limitsSchema } from "./limits/all";
import { MEASURES, type Measure } from "./measures/all";
import { type ClassRule, rulesSchema } from "./rules";
import { type SecondSensor, type SecondSides, secondSchema } from "./second";
import { type Speckle, speckleSchema } from "./speckle";
import { type Transitions, transitionsSchema } from "./transitions";
import { twinMessage, twinName } from "./twinNames";

/** Grouping of like cells, and which groups are which class. */
export interface Grouping extends GroupParams {
  of: "measure" | "differences" | "before" | "after" | "both";
  classes: GroupClass[];
}
export const GROUPED: readonly Grouping["of"][] = [
  "measure",
  "differences",
  "before",
  "after",
  "both",
];

/**
 * Everything that decides a change map of two dates. `band`: of before; after gives the band that
 * is the same.
 */
export interface ChangeSetup {
  band: number;
  speckle: Speckle;
  measure: Measure;
  /**
   * Bands of before that a measure of several bands, or a grouping, takes; absent: all that are
   * like `band`.
   */
  bands?: number[] | null;
  /** The classified raster that rules over land cover look at. */
  coverId?: string | null;
  /** Of the measure "formula": arithmetic over before.NAME and after.NAME. */
  formula?: string | null;
  /** Of the no-change probability: reweighted round by round, or from all cells alike. */
  reweighted?: boolean | null;
  /** Of small changes: square kilometres of unchanged ground with one false alarm. */
  falseAlarmKm2?: number | null;
  /** Of departures: days on either side of the time of year of after within which dates are normal. */
  seasonDays?: number | null;
  /** Of cells away from normal: deviations beyond which they are, and on which side. */
  awayBeyond?: number | null;
  awaySide?: AwaySide | null;
  rules: ClassRule[];
  /** Where it is there, classes come out of groups instead of rules. */
  groups?: Grouping | null;
  /** Where it is there, classes come out of two classified dates instead. */
  transitions?: Transitions | null;
  limits: Limits;
  /** Another sensor that is asked about the map. */
  second?: SecondSensor | null;
}

const measureShape = {
  reweighted: yup.boolean().nullable(),
  falseAlarmKm2: yup.number().min(FALSE_ALARM_KM2.min).max(FALSE_ALARM_KM2.max).nullable(),
  seasonDays: yup.number().integer().min(1).max(183).nullable(),
  awayBeyond: yup.number().min(1).max(20).nullable(),
  awaySide: yup.string().oneOf(AWAY_SIDES).nullable(),
};
/** Settings of single measures, besides a formula. */
export const measureSettingsSchema = yup.object(measureShape).noUnknown();
export type MeasureSettings = Pick<
  ChangeSetup,
  "reweighted" | "falseAlarmKm2" | "seasonDays" | "awayBeyond" | "awaySide"
>;

export const changeSetupSchema = yup
  .object({
    band: yup.number().integer().min(0).required(),
    speckle: speckleSchema,
    measure: yup.string().oneOf(MEASURES).required(),
    bands: yup.array(yup.number().integer().min(0).max(255).required()).min(1).max(16).nullable(),
    coverId: yup.string().uuid().nullable(),
    formula: yup.string().max(2000).nullable(),
    ...measureShape,
    rules: rulesSchema,
    groups: yup
      .object({
        ...groupShape,
        of: yup.string().oneOf(GROUPED).required(),
        classes: yup
          .array(groupClassSchema)
          .min(1)
          .max(64)
          .required()
          .test("names", twinMessage, (classes) => !twinName(classes ?? [])),
      })
      .noUnknown()
      .nullable()
      .default(undefined),
    transitions: transitionsSchema.nullable().default(undefined),
    limits: limitsSchema,
    second: secondSchema.nullable().default(undefined),
  })
  .noUnknown() as unknown as yup.ObjectSchema<ChangeSetup>;

/** One date: a stored image, or what its chain makes of it. */
export interface ChangeSide {
  node: NodeSpec;
  info: ImageInfo;
  /** The scene's cloud and shadow by its quality band, 0 or 1, where it has one. */
  cloud?: ChangeSide | null;
}

/** A classified raster as it is stored. */
export interface StoredClasses {
  id: string;
  info: ImageInfo;
}

/**
 * The images a change map is made from. The grid of the before date, turned north up with square
 * cells, is the grid of the map.
 */
export interface ChangeInputs {
  before: ChangeSide;
  after: ChangeSide;
  elevation: { id: string; info: ImageInfo } | null;
  /** In lon/lat degrees. */
  studyArea: MultiPolygon | null;
  /** The classified raster of the settings, where it is there. */
  cover?: StoredClasses | null;
  /** Both classified dates of the settings, where they are there. */
  covers?: { before: StoredClasses; after: StoredClasses } | null;
  /** Dates of the series, for departures from its normal; absent: nobody asked for them. */
  series?: SeriesSides;
  /** Dates of the second sensor of the settings. */
  second?: SecondSides;
  /** Other dates by scene, for what stands there anyway. */
  others?: Record<string, ChangeSide>;
}

/** Dates of a series in their order: up to before, and after it with the days since. */
export interface SeriesSides {
  normal: ChangeSide[];
  watched: { side: ChangeSide; day: number }[];
}

/** Nodes of a comparison, from the pictures to the final classes. */
export interface ChangeNodes {
  before: NodeSpec;
  after: NodeSpec;
  measure: NodeSpec;
  slope: NodeSpec | null;
  elevation: NodeSpec | null;
  /**
   * Layers that rules and limits can ask for besides before, after and measure, as they stand in
   * the stack.
   */
  layers: { name: string; node: NodeSpec }[];
  /** Bands before, after, measure and the layers. */
  stack: NodeSpec;
  /** What is looked at, limit by limit: where both dates are seen, inside the study area. */
  masks: { name: LimitName; node: NodeSpec }[];
  /** The stack where both dates are seen and inside the study area; nodata elsewhere. */
  gated: NodeSpec;
  /**
   * What classes are picked out of, where they come from groups or from transitions: groups of like
   * cells with all bands of both dates that they are looked at with, or what ground was and became
   * with both classified dates.
   */
  groups: { groups: NodeSpec; before: NodeSpec; after: NodeSpec } | null;
  /**
   * What the doubt of the map is found from; null where classes come from two classified dates without
   * pictures of them.
   */
  doubtFrom: DoubtFrom | null;
  /** Before the limits that work on classes, and after them. */
  raw: NodeSpec;
  classes: NodeSpec;
  /** What the second sensor says of the classes; null where nothing is asked of it. */
  confirmed: NodeSpec | null;
  /** The map after each limit that is set, from the classes as the rules give them to the last. */
  stages: { name: LimitName; node: NodeSpec }[];
}

/**
 * The band of an image that is the same as one of another date: by polarisation, by wavelength, by
 * name. @throws InputError when there is none
 */
export function sameBand(band: BandInfo, other: ImageInfo): number {
  let k: number;
  if (band.polarisation) {
    k = other.bands.findIndex((x) => x.polarisation === band.polarisation && x.role === band.role);
  } else if (band.wavelengthNm !== undefined) {
    k = nearestIn(band, other);
  } else {
    k = other.bands.findIndex((x) => x.name === band.name);
  }
  if (k >= 0) {
    return k;
  }
  if (
    other.bands.length === 1 &&
    !band.polarisation &&
    band.wavelengthNm === undefined &&
    comparingOf(other.bands[0]!) === comparingOf(band)
  ) {
    return 0;
  }
  throw new InputError(
    `The after scene has no band like ${band.name} of before`,
    "band",
    "Prepare both dates alike.",
  );
}
function nearestIn(band: BandInfo, other: ImageInfo): number {
  let best = -1;
  let least = 41;
  other.bands.forEach((x, k) => {
    const defaultDigits =
      x.wavelengthNm === undefined || x.role !== band.role
        ? Infinity
        : Math.abs(x.wavelengthNm - band.wavelengthNm!);
    if (defaultDigits < least) {
      least = defaultDigits;
      best = k;
    }
  });
  return best;
}
