import * as yup from "yup";
import { LONLAT, isGeographic, transformer } from "../geodesy/crs";
import type { Grid } from "../grid/grid";
import { type MultiPolygon, transformPolygons } from "../vector/polygons";
import type { BandInfo, ImageInfo } from "../graph/image";
import type { NodeSpec } from "../graph/node";
import { InputError } from "../errors";
import {
  type GroupClass,
  type GroupParams,
  groupClassSchema,
  groupShape,
} from "../graph/steps/groups";
import { comparingOf } from "./comparing";
import { MEASURES, type Measure } from "./measures/all";
import { type ClassRule, classRuleSchema } from "./rules";

export const SPECKLE = ["none", "lee", "refinedLee"] as const;

/**
 * Limits of a change map, in the order in which they are applied. Those that may be absent came
 * later than settings that are kept.
 */
export interface Limits {
  studyArea: boolean;
  /** Cells that one date lacks never count; this is how far from such cells to stay. */
  seenMarginCells: number;
  /** Cloud and its shadow on either date, by the quality bands. */
  cloud?: boolean | null;
  /** Layover and shadow on either date, as Terrain finds them. */
  hidden?: boolean | null;
  /** Lowest and highest ground, metres; null at either end: no limit there. */
  elevationM?: { min: number | null; max: number | null } | null;
  maxSlopeDeg: number | null;
  /**
   * Highest ground above the drainage it goes to; `leastKm2`: area that drains through a place for
   * it to be drainage.
   */
  drainage?: { maxM: number; leastKm2: number } | null;
  /** What is so on all of these other dates as well was no change: cells of a class leave. */
  standing?: { sceneIds: string[]; op: "<" | ">"; value: number; label: number } | null;
  /** Window of the majority, and the largest hole that is filled. */
  majorityCells?: number | null;
  holeCells?: number | null;
  minPatchCells: number | null;
  neighbours: 4 | 8;
}

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
  speckle: { filter: (typeof SPECKLE)[number]; windowCells: number; looks: number };
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
  rules: ClassRule[];
  /** Where it is there, classes come out of groups instead of rules. */
  groups?: Grouping | null;
  limits: Limits;
}

/** A name as it is compared with others: without case and outer or double spaces. */
export const plainName = (name: string): string => name.trim().toLowerCase().replace(/\s+/g, " ");

/** A class name that a second class has too, or null: the tally could not tell them apart. */
export function twinName(classes: readonly { name: string }[]): string | null {
  const seen = new Set<string>();
  for (const { name } of classes) {
    if (seen.has(plainName(name))) {
      return name;
    }
    seen.add(plainName(name));
  }
  return null;
}

const twinMessage = ({ value }: { value: { name: string }[] }): string =>
  `Two classes are called "${twinName(value) ?? ""}": every class needs a name of its own`;

export const changeSetupSchema = yup
  .object({
    band: yup.number().integer().min(0).required(),
    speckle: yup
      .object({
        filter: yup.string().oneOf(SPECKLE).required(),
        windowCells: yup.number().oneOf([3, 5, 7, 9, 11]).required(),
        looks: yup.number().min(0.5).max(1000).required(),
      })
      .noUnknown()
      .required(),
    measure: yup.string().oneOf(MEASURES).required(),
    bands: yup.array(yup.number().integer().min(0).max(255).required()).min(1).max(16).nullable(),
    coverId: yup.string().uuid().nullable(),
    formula: yup.string().max(2000).nullable(),
    reweighted: yup.boolean().nullable(),
    rules: yup
      .array(classRuleSchema)
      .min(1)
      .max(64)
      .required()
      .test("names", twinMessage, (rules) => !twinName(rules ?? [])),
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
    limits: yup
      .object({
        studyArea: yup.boolean().required(),
        seenMarginCells: yup.number().integer().min(0).max(64).required(),
        cloud: yup.boolean().nullable(),
        hidden: yup.boolean().nullable(),
        elevationM: yup
          .object({
            min: yup.number().min(-500).max(9000).nullable().defined(),
            max: yup.number().min(-500).max(9000).nullable().defined(),
          })
          .noUnknown()
          .nullable()
          .default(undefined)
          .test(
            "order",
            "the lowest elevation must lie below the highest",
            (value) => !value || value.min == null || value.max == null || value.min < value.max,
          ),
        maxSlopeDeg: yup.number().moreThan(0).max(90).nullable().defined(),
        drainage: yup
          .object({
            maxM: yup.number().min(0).max(9000).required(),
            leastKm2: yup.number().min(0.001).max(100_000).required(),
          })
          .noUnknown()
          .nullable()
          .default(undefined),
        standing: yup
          .object({
            sceneIds: yup.array(yup.string().uuid().required()).min(1).max(16).required(),
            op: yup
              .string()
              .oneOf(["<", ">"] as const)
              .required(),
            value: yup.number().min(-1e6).max(1e6).required(),
            label: yup.number().integer().min(1).max(254).required(),
          })
          .noUnknown()
          .nullable()
          .default(undefined),
        minPatchCells: yup.number().integer().min(2).max(1_000_000).nullable().defined(),
        majorityCells: yup.number().oneOf([3, 5, 7, 9, 11]).nullable(),
        holeCells: yup.number().integer().min(1).max(1_000_000).nullable(),
        neighbours: yup
          .number()
          .oneOf([4, 8] as const)
          .required(),
      })
      .noUnknown()
      .required(),
  })
  .noUnknown() as unknown as yup.ObjectSchema<ChangeSetup>;

/** One date: a stored image, or what its chain makes of it. */
export interface ChangeSide {
  node: NodeSpec;
  info: ImageInfo;
  /** The scene's cloud and shadow by its quality band, 0 or 1, where it has one. */
  cloud?: ChangeSide | null;
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
  cover?: { id: string; info: ImageInfo } | null;
  /** Other dates by scene, for what stands there anyway. */
  others?: Record<string, ChangeSide>;
}

/** What each limit is called where its effect is told. */
export const LIMIT_NAMES = {
  rules: "Classes",
  seen: "Seen on both dates",
  studyArea: "Study area",
  cloud: "Cloud",
  hidden: "Layover and shadow",
  elevation: "Elevation",
  slope: "Slope",
  drainage: "Height above drainage",
  standing: "Other dates",
  majority: "Majority",
  holes: "Holes",
  minimumPatch: "Minimum patch",
} as const;
export type LimitName = keyof typeof LIMIT_NAMES;

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
  seen: NodeSpec;
  studyArea: NodeSpec | null;
  /** The stack where both dates are seen and inside the study area; nodata elsewhere. */
  gated: NodeSpec;
  /**
   * Groups of like cells and all bands of both dates that they are looked at with, where classes
   * come from groups.
   */
  groups: { groups: NodeSpec; before: NodeSpec; after: NodeSpec } | null;
  /** Before the limits that work on classes, and after them. */
  raw: NodeSpec;
  classes: NodeSpec;
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

/**
 * Study area from lon/lat to the coordinates of a grid, rounded to a millimetre so that it hashes
 * alike everywhere.
 */
export function areaOnGrid(area: MultiPolygon, grid: Grid): MultiPolygon {
  const k = isGeographic(grid.crs) ? 1e9 : 1e3;
  return transformPolygons(
    area,
    (x, y) => {
      const [across, value] = transformer(LONLAT, grid.crs)(x, y);
      return [Math.round(across * k) / k, Math.round(value * k) / k];
    },
    0.01,
  );
}
