import type { Field } from "../../form/fields";
import type { BandInfo, ImageInfo } from "../../graph/image";
import type { NodeSpec } from "../../graph/node";
import type { Step } from "../../graph/step";
import { cellByCell, none, requireOneGrid } from "../../graph/steps/common";
import { InputError } from "../../errors";
import type { Histogram } from "../../raster/histogram";
import { realCells } from "../../raster/block";
import type { Preset } from "../presets";
import type { ClassRule } from "../rules";
import type { ChangeSetup } from "../setup";

/**
 * A date's bands: as they are compared (decibels of power), as power where they are that, and as
 * they were before the speckle filter.
 */
export interface DateNodes {
  raw: NodeSpec;
  power: NodeSpec;
  db: NodeSpec;
}
/** What several bands are taken for: a measure, a formula of both dates, or grouping. */
export type BandUse = "measure" | "formula" | "groups";
/** Both dates with the bands that take part, and what a formula calls those. */
export interface SeveralBands {
  before: NodeSpec;
  after: NodeSpec;
  /** Both before the speckle filter. */
  raw: { before: NodeSpec; after: NodeSpec };
  names: string[];
}
/** Both dates as a measure gets them. */
export interface MeasureDates {
  before: DateNodes;
  after: DateNodes;
  /** @throws InputError when a band that was picked is missing */
  several(use: BandUse): SeveralBands;
  /** The same band of all dates that tell what is normal, and of those that are watched. @throws InputError */
  series(): SeriesNodes;
}

/** Dates of a series as they are compared, in their order. */
export interface SeriesNodes {
  /** Up to before. */
  normal: NodeSpec[];
  /** After before; days after the last normal one. */
  watched: { node: NodeSpec; day: number }[];
}

/** What a measure is called on one kind of bands, and what it says. */
export interface MeasureWords {
  name: string;
  help: string;
}
/** A unit with the decimals and the step in which it is written and changed. */
export interface MeasureUnit {
  unit: string;
  decimals: number;
  step: number;
}

/**
 * One way of measuring one date against the other, whole: its node and the step of the graph that
 * computes it, its words on power and on values, its unit, the rules that it begins with, its
 * settings. The registry, the menu, the form, the report, the presets and docs/catalogue.md read it
 * from here.
 */
export interface MeasurePart<K extends string> {
  readonly key: K;
  /** Words on radar power; null where it is not taken of that. */
  readonly onPower: MeasureWords | null;
  /** Words on reflectance, an index or any other number; null where it is not taken of those. */
  readonly onValues: MeasureWords | null;
  /** Words on the classes of two classified dates; absent: it is not taken of those. */
  readonly onClasses?: MeasureWords;
  /** A name of its own on a band, such as dNBR. */
  nameOn?(band: string): string | null;
  /** What a report calls it. */
  said(setup: ChangeSetup, decibel: boolean): string;
  /** Place among the measures that are offered for a band, the smallest first. */
  rank(band: BandInfo): number;
  /** Its own unit; null: that of the bands. */
  readonly unit: MeasureUnit | null;
  /** It looks at several bands at once. */
  readonly several?: boolean;
  /** It looks at the dates as they were before the speckle filter. */
  readonly beforeFilter?: boolean;
  /** It looks at more dates than both: those that tell what is normal. */
  readonly ofSeries?: boolean;
  /** How many bands it must be given, where that is fixed. */
  readonly bandsWanted?: number;
  /** Steps of the graph that it brings along. */
  readonly graph: readonly Step[];
  /** @throws InputError where its settings do not do */
  node(dates: MeasureDates, setup: ChangeSetup): NodeSpec;
  /** Rules to begin with where its thresholds mean what no other measure's do. */
  rules?(histogram: Histogram | null): ClassRule[];
  /** Those rules need its histogram. */
  readonly byHistogram?: boolean;
  /** Loss counts upwards. */
  readonly lossUp?: boolean;
  /** Its values are chances, whose thresholds no histogram tells better. */
  readonly isChance?: boolean;
  /** Strong is what lies far from nought on either side. */
  readonly isTwoSided?: boolean;
  /** Degrees of a circle, which have no plain mean. */
  readonly circular?: boolean;
  /** Its value where after − before is all that is known; absent: that does not tell it. */
  ofDifference?(difference: number): number;
  /** Ready sets of classes that it can have. */
  readonly presets: readonly Preset["id"][];
  /** Settings that it begins with, where they are not there yet. */
  begin?(setup: ChangeSetup, bands: readonly BandInfo[]): Partial<ChangeSetup>;
  /** The form of its own settings. */
  readonly fields: readonly Field[];
}

/** A rule on the measure alone. */
export const whenMeasure = (
  label: number,
  name: string,
  color: string,
  op: ClassRule["all"][number]["op"],
  value: number,
): ClassRule => ({ label, name, color, all: [{ layer: "measure", op, value }] });

type Kernel = (before: Float32Array, after: Float32Array, out: Float32Array) => void;

/** Both dates of one real-valued band each. @throws InputError where they cannot be subtracted */
function requireAlike(title: string, inputs: readonly ImageInfo[]): [BandInfo, BandInfo] {
  requireOneGrid(title, inputs);
  const [before, after] = inputs.map((input) => {
    if (input.bands.length !== 1 || input.type !== "float32") {
      throw new InputError(`${title} takes one real-valued band a date`, "inputs");
    }
    return input.bands[0]!;
  });
  if (before!.unit !== after!.unit || before!.role !== after!.role) {
    throw new InputError(
      `Before is in ${before!.unit || before!.role}, after in ${after!.unit || after!.role}: they cannot be subtracted`,
      "inputs",
    );
  }
  return [before!, after!];
}

/**
 * The step of a measure that takes one band from another.
 * @param band name of the result @param unit where it is not that of the bands
 */
export const takingStep = (
  kind: string,
  title: string,
  help: string,
  band: string,
  kernel: Kernel,
  unit?: string,
): Step<Record<string, never>> => ({
  kind,
  version: 1,
  title,
  help,
  inputs: { min: 2, max: 2 },
  params: none,
  describe(inputs) {
    const [before] = requireAlike(title, inputs);
    return {
      grid: inputs[0]!.grid,
      type: "float32",
      bands: [
        {
          name: band,
          unit: unit ?? before.unit,
          role: "change",
          polarisation: before.polarisation,
        },
      ],
    };
  },
  reach: cellByCell,
  compute([before, after], out) {
    kernel(realCells(before!.bands[0]!), realCells(after!.bands[0]!), realCells(out.bands[0]!));
  },
});
