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

export interface Frame {
  name: string;
  sensor: SensorModel;
  luts: ProductLuts;
}

/** How far the beginning of a frame may lie off whole lines of the one before it. */
const LINE_TOLERANCE = 0.05;
/** Lines that may lie between two frames and still be called neighbours. */
const MAX_GAP_LINES = 60;

/**
 * Neighbouring frames of one pass as one product: geometry, tables, and the first line of each
 * frame in it. Frames are put in the order of
 * time; at a seam every line keeps the polynomials and tables of its own frame, so that nothing is
 * mixed across it.
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
  const order = frames
    .map((_f, i) => i)
    .sort((a, b) => frames[a]!.sensor.firstLineT - frames[b]!.sensor.firstLineT);
  const sorted = order.map((i) => frames[i]!);
  const head = sorted[0]!;
  const sensorModel = head.sensor;
  for (const frame of sorted.slice(1)) {
    const sensor = frame.sensor;
    const odd = (
      [
        ["mission", "mission"],
        ["mode", "mode"],
        ["pass", "pass direction"],
        ["look", "look side"],
      ] as const
    ).find(([k]) => sensor[k] !== sensorModel[k]);
    if (odd) {
      throw new InputError(
        `${frame.name} has another ${odd[1]} than ${head.name}: ${sensor[odd[0]]}, not ${sensorModel[odd[0]]}`,
        "frames",
        "Only neighbouring frames of one pass can be joined.",
      );
    }
    if (
      Math.abs(sensor.lineIntervalS / sensorModel.lineIntervalS - 1) > 1e-6 ||
      Math.abs(sensor.sampleSpacingM / sensorModel.sampleSpacingM - 1) > 1e-6
    ) {
      throw new InputError(
        `${frame.name} has another spacing of lines or samples than ${head.name}`,
        "frames",
      );
    }
    if (Object.keys(frame.luts).sort().join() !== Object.keys(head.luts).sort().join()) {
      throw new InputError(
        `${frame.name} has the polarisations ${Object.keys(frame.luts).sort().join(", ")}, ${head.name} has ${Object.keys(head.luts).sort().join(", ")}`,
        "frames",
      );
    }
  }
  const exact = sorted.map(
    (frame) => (frame.sensor.firstLineT - sensorModel.firstLineT) / sensorModel.lineIntervalS,
  );
  const firsts = exact.map(Math.round);
  sorted.forEach((frame, k) => {
    if (Math.abs(exact[k]! - firsts[k]!) > LINE_TOLERANCE) {
      throw new InputError(
        `The lines of ${frame.name} do not continue those of ${head.name}: they are shifted by ${(exact[k]! - firsts[k]!).toFixed(2)} of a line`,
        "frames",
      );
    }
    if (k > 0 && firsts[k]! - (firsts[k - 1]! + sorted[k - 1]!.sensor.lines) > MAX_GAP_LINES) {
      throw new InputError(
        `${frame.name} is no neighbour of ${sorted[k - 1]!.name}: ${firsts[k]! - firsts[k - 1]! - sorted[k - 1]!.sensor.lines} lines lie between them`,
        "frames",
        "Add the frame between them, or join only neighbours.",
      );
    }
  });
  // Where frames overlap the earlier one has the lines.
  const from = sorted.map((_f, k) =>
    k === 0 ? 0 : Math.max(firsts[k]!, firsts[k - 1]! + sorted[k - 1]!.sensor.lines),
  );
  const lines = firsts.at(-1)! + sorted.at(-1)!.sensor.lines;
  const to = from.map((_v, k) => (k + 1 < from.length ? from[k + 1]! : lines) - 1);
  const t = (line: number) => sensorModel.firstLineT + line * sensorModel.lineIntervalS;
  const groundRange: GroundRangePolynomial[] = sorted.flatMap((frame, k) => {
    const all = [...frame.sensor.groundRange].sort((polynomial, b) => polynomial.t - b.t);
    const begins = k === 0 ? -Infinity : t(from[k]! - 0.5);
    const ends = k + 1 < sorted.length ? t(to[k]! + 0.5) : Infinity;
    const inForce = all.filter((polynomial) => polynomial.t <= begins).at(-1) ?? all[0]!;
    return k === 0
      ? all.filter((polynomial, i) => i === 0 || polynomial.t < ends)
      : [
          { ...inForce, t: begins },
          ...all.filter((polynomial) => polynomial.t > begins && polynomial.t < ends),
        ];
  });
  const luts: ProductLuts = {};
  for (const pol of Object.keys(head.luts)) {
    const parts = sorted.map((frame, k) => ({
      l: frame.luts[pol]!,
      shift: firsts[k]!,
      from: from[k]!,
      to: to[k]!,
    }));
    const cut = (get: (tables: PolarisationLuts) => LutVector[]) =>
      parts.flatMap((part) => cutVectors(get(part.l), part.shift, part.from, part.to));
    luts[pol] = {
      sigma: cut((table) => table.sigma),
      beta: cut((table) => table.beta),
      gamma: cut((table) => table.gamma),
      noiseRange: parts.every((part) => part.l.noiseRange.length > 0)
        ? cut((table) => table.noiseRange)
        : [],
      noiseAzimuth: parts.flatMap((part) =>
        cutAzimuth(part.l.noiseAzimuth, part.shift, part.from, part.to),
      ),
    };
  }
  return {
    sensor: {
      ...sensorModel,
      orbit: joinOrbits(
        sorted.map((frame) => frame.sensor.orbit),
        t(0),
        t(lines),
      ),
      groundRange,
      lines,
      samples: Math.max(...sorted.map((frame) => frame.sensor.samples)),
    },
    luts,
    order,
    firstLines: firsts,
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
