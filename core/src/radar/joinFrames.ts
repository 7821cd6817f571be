import { InputError } from "../errors";
import {
  type AzimuthNoise,
  type LutVector,
  type PolarisationLuts,
  type ProductLuts,
  azimuthFactor,
  expandVector,
  vectorsAround,
} from "./luts";
import type { StateVector } from "./orbit";
import type { GroundRangePolynomial, SensorModel } from "./sensor";

/** A product of one piece of a pass. */
export interface Frame {
  name: string;
  sensor: SensorModel;
  luts: ProductLuts;
}

/** How far the beginning of a frame may lie off whole lines of the one before it. */
const LINE_TOLERANCE = 0.05;
/** Lines that may lie between two frames and still be called neighbours. */
const MAX_GAP_LINES = 60;

/** What frames of one pass have in common, and what it is called. */
const IN_COMMON = [
  ["mission", "mission"],
  ["mode", "mode"],
  ["pass", "pass direction"],
  ["look", "look side"],
] as const;

const polarisationsOf = ({ luts }: Frame): string => Object.keys(luts).sort().join(", ");
const isApart = (a: number, b: number): boolean => Math.abs(a / b - 1) > 1e-6;

/** @throws InputError where a frame is of another pass than the first, or has other bands */
function requireAlike(frame: Frame, head: Frame): void {
  const { sensor } = frame;
  const odd = IN_COMMON.find(([key]) => sensor[key] !== head.sensor[key]);
  if (odd) {
    const [key, what] = odd;
    throw new InputError(
      `${frame.name} has another ${what} than ${head.name}: ${sensor[key]}, not ${head.sensor[key]}`,
      "frames",
      "Only neighbouring frames of one pass can be joined.",
    );
  }
  if (
    isApart(sensor.lineIntervalS, head.sensor.lineIntervalS) ||
    isApart(sensor.sampleSpacingM, head.sensor.sampleSpacingM)
  ) {
    throw new InputError(
      `${frame.name} has another spacing of lines or samples than ${head.name}`,
      "frames",
    );
  }
  if (polarisationsOf(frame) !== polarisationsOf(head)) {
    throw new InputError(
      `${frame.name} has the polarisations ${polarisationsOf(frame)}, ${head.name} has ${polarisationsOf(head)}`,
      "frames",
    );
  }
}

/**
 * The line of the joined product at which each frame begins.
 * @param sorted frames in the order of time
 * @throws InputError where lines do not continue, or too many are missing between two frames
 */
function firstLinesOf(sorted: readonly Frame[]): number[] {
  const head = sorted[0]!;
  const { firstLineT, lineIntervalS } = head.sensor;
  const firsts = sorted.map(({ name, sensor }) => {
    const exact = (sensor.firstLineT - firstLineT) / lineIntervalS;
    const first = Math.round(exact);
    if (Math.abs(exact - first) > LINE_TOLERANCE) {
      throw new InputError(
        `The lines of ${name} do not continue those of ${head.name}: they are shifted by ${(exact - first).toFixed(2)} of a line`,
        "frames",
      );
    }
    return first;
  });
  for (const [k, { name }] of sorted.entries()) {
    const before = sorted[k - 1];
    const gap = before ? firsts[k]! - firsts[k - 1]! - before.sensor.lines : 0;
    if (before && gap > MAX_GAP_LINES) {
      throw new InputError(
        `${name} is no neighbour of ${before.name}: ${gap} lines lie between them`,
        "frames",
        "Add the frame between them, or join only neighbours.",
      );
    }
  }
  return firsts;
}

/** A frame in the joined product: where it begins, and which lines of the product it has. */
interface Part {
  frame: Frame;
  shift: number;
  from: number;
  to: number;
}

/** Frames with their lines; where they overlap the earlier one has them. */
function partsOf(sorted: readonly Frame[], firsts: readonly number[], lines: number): Part[] {
  const endOf = (k: number) => firsts[k]! + sorted[k]!.sensor.lines;
  const from = sorted.map((_frame, k) => (k === 0 ? 0 : Math.max(firsts[k]!, endOf(k - 1))));
  return sorted.map((frame, k) => ({
    frame,
    shift: firsts[k]!,
    from: from[k]!,
    to: (from[k + 1] ?? lines) - 1,
  }));
}

/** Polynomials of all frames: those that are in force in each frame's own lines. */
function joinGroundRange(
  parts: readonly Part[],
  timeOf: (line: number) => number,
): GroundRangePolynomial[] {
  return parts.flatMap(({ frame, from, to }, k) => {
    const all = [...frame.sensor.groundRange].sort((a, b) => a.t - b.t);
    const ends = k + 1 < parts.length ? timeOf(to + 0.5) : Infinity;
    if (k === 0) {
      return all.filter(({ t }, i) => i === 0 || t < ends);
    }
    const begins = timeOf(from - 0.5);
    const inForce = all.filter(({ t }) => t <= begins).at(-1) ?? all[0]!;
    return [{ ...inForce, t: begins }, ...all.filter(({ t }) => t > begins && t < ends)];
  });
}

/** Tables of a polarisation: each frame's own, in its lines. */
function joinLuts(parts: readonly Part[], polarisation: string): PolarisationLuts {
  const tables = parts.map((part) => ({ ...part, luts: part.frame.luts[polarisation]! }));
  const cut = (of: (luts: PolarisationLuts) => LutVector[]) =>
    tables.flatMap(({ luts, shift, from, to }) => cutVectors(of(luts), shift, from, to));
  const hasNoise = tables.every(({ luts }) => luts.noiseRange.length > 0);
  return {
    sigma: cut(({ sigma }) => sigma),
    beta: cut(({ beta }) => beta),
    gamma: cut(({ gamma }) => gamma),
    noiseRange: hasNoise ? cut(({ noiseRange }) => noiseRange) : [],
    noiseAzimuth: tables.flatMap(({ luts, shift, from, to }) =>
      cutAzimuth(luts.noiseAzimuth, shift, from, to),
    ),
  };
}

/**
 * Neighbouring frames of one pass as one product: geometry, tables, and the first line of each
 * frame in it. Frames are put in the order of time; at a seam every line keeps the polynomials and
 * tables of its own frame, so that nothing is mixed across it.
 * @throws InputError naming the frame that does not belong, and why
 */
export function joinFrames(frames: readonly Frame[]): {
  sensor: SensorModel;
  luts: ProductLuts;
  order: number[];
  firstLines: number[];
} {
  if (frames.length < 2) {
    throw new InputError("Two frames or more can be joined", "frames");
  }
  const order = [...frames.keys()].sort(
    (a, b) => frames[a]!.sensor.firstLineT - frames[b]!.sensor.firstLineT,
  );
  const sorted = order.map((i) => frames[i]!);
  const head = sorted[0]!;
  for (const frame of sorted.slice(1)) {
    requireAlike(frame, head);
  }
  const firstLines = firstLinesOf(sorted);
  const lines = firstLines.at(-1)! + sorted.at(-1)!.sensor.lines;
  const parts = partsOf(sorted, firstLines, lines);
  const timeOf = (line: number) => head.sensor.firstLineT + line * head.sensor.lineIntervalS;
  const orbits = sorted.map(({ sensor }) => sensor.orbit);
  return {
    sensor: {
      ...head.sensor,
      orbit: joinOrbits(orbits, timeOf(0), timeOf(lines)),
      groundRange: joinGroundRange(parts, timeOf),
      lines,
      samples: Math.max(...sorted.map(({ sensor }) => sensor.samples)),
    },
    luts: Object.fromEntries(Object.keys(head.luts).map((name) => [name, joinLuts(parts, name)])),
    order,
    firstLines,
  };
}

/**
 * Vectors for lines [from, to] of the joined product: those inside, and one at each end, linear
 * between its neighbours.
 */
function cutVectors(
  lutVectors: readonly LutVector[],
  shift: number,
  from: number,
  to: number,
): LutVector[] {
  if (lutVectors.length === 0) {
    return [];
  }
  const at = (line: number): LutVector => {
    const { a, b, share } = vectorsAround(lutVectors, line - shift);
    const lutVector = lutVectors[a]!;
    const vector = lutVectors[b]!;
    const x = Float64Array.from(lutVector.pixels);
    const e = new Float32Array(x.length);
    expandVector(vector, x, e);
    return {
      line,
      pixels: lutVector.pixels,
      values: lutVector.values.map((y, i) => (share === 0 ? y : y + (e[i]! - y) * share)),
    };
  };
  return [
    at(from),
    ...lutVectors
      .map((lutVector) => ({ ...lutVector, line: lutVector.line + shift }))
      .filter((x) => x.line > from && x.line < to),
    at(to),
  ];
}

function cutAzimuth(
  parts: readonly AzimuthNoise[],
  shift: number,
  from: number,
  to: number,
): AzimuthNoise[] {
  return parts.flatMap((part) => {
    const first = Math.max(part.firstLine + shift, from);
    const last = Math.min(part.lastLine + shift, to);
    if (last < first) {
      return [];
    }
    const factor = (line: number) =>
      azimuthFactor([part], line - shift, (part.firstSample + part.lastSample) / 2);
    const inside = part.lines
      .map((line, i) => [line + shift, part.values[i]!] as const)
      .filter(([line]) => line > first && line < last);
    return [
      {
        ...part,
        firstLine: first,
        lastLine: last,
        lines: [first, ...inside.map((x) => x[0]), last],
        values: [factor(first), ...inside.map((x) => x[1]), factor(last)],
      },
    ];
  });
}

/**
 * State vectors of all frames; one that all list once. Where the lists run on different beats, the
 * first that covers the whole span.
 */
function joinOrbits(lists: readonly StateVector[][], from: number, to: number): StateVector[] {
  const all = lists
    .flat()
    .sort((stateVector, b) => stateVector.t - b.t)
    .filter((list, i, x) => i === 0 || list.t - x[i - 1]!.t > 1e-3);
  const gaps = all.slice(1).map((stateVector, i) => stateVector.t - all[i]!.t);
  const usual = [...gaps].sort((a, b) => a - b)[gaps.length >> 1]!;
  if (gaps.every((gap) => gap > 0.5 * usual && gap < 1.5 * usual)) {
    return all;
  }
  const whole = lists.find((list) => list[0]!.t <= from && list.at(-1)!.t >= to);
  if (!whole) {
    throw new InputError(
      "The orbits of the frames do not fit together",
      "frames",
      "Import the pass as it is delivered in one piece, if there is one.",
    );
  }
  return whole;
}
