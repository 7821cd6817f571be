import { InputError } from "../errors";
import type { Vec3 } from "../geodesy/ecef";

/**
 * Position and velocity in the Earth-fixed frame at a time in UTC seconds since 2000-01-01 (see
 * utcSeconds). Metres, metres per second.
 */
export interface StateVector {
  t: number;
  position: Vec3;
  velocity: Vec3;
}

/**
 * UTC text such as 2025-05-02T18:41:10.123456 (with or without Z or "UTC=") as seconds since
 * 2000-01-01T00:00:00, counting every day
 * as 86 400 s as UTC text does; a leap second 23:59:60 falls on the next day's first. To a tenth of
 * a microsecond.
 * @throws InputError when it is no such text
 */
export function utcSeconds(text: string): number {
  const match = /^(?:UTC=|TAI=|UT1=)?(\d{4})-(\d\d)-(\d\d)T(\d\d):(\d\d):(\d\d(?:\.\d+)?)Z?$/.exec(
    text.trim(),
  );
  if (!match) {
    throw new InputError(`"${text}" is not a time such as 2025-05-02T18:41:10.123456`);
  }
  return (
    (Date.UTC(Number(match[1]), Number(match[2]) - 1, Number(match[3])) - Date.UTC(2000, 0, 1)) /
      1000 +
    Number(match[4]) * 3600 +
    Number(match[5]) * 60 +
    Number(match[6])
  );
}
/** The reverse of utcSeconds, with microseconds and a Z. */
export function utcText(seconds: number): string {
  const whole = Math.floor(seconds + 5e-7);
  const micro = Math.max(0, Math.round((seconds - whole) * 1e6));
  return `${new Date(Date.UTC(2000, 0, 1) + whole * 1000).toISOString().slice(0, 19)}.${String(micro).padStart(6, "0")}Z`;
}

/** A step between vectors that is so many times the usual one is a gap. */
const GAP = 1.5;

/**
 * Spans of time in which an orbit has no vectors though it goes on after them: steps beyond one and a
 * half times the usual one (the median), in order.
 */
export function gapsOf(vectors: readonly { t: number }[]): [from: number, to: number][] {
  const times = vectors.map(({ t }) => t).sort((first, second) => first - second);
  const steps = times.slice(1).map((time, k) => time - times[k]!);
  const usual = [...steps].sort((first, second) => first - second)[steps.length >> 1] ?? 0;
  return steps.flatMap((step, k): [number, number][] =>
    step > GAP * usual ? [[times[k]!, times[k + 1]!]] : [],
  );
}

const POINTS = 8;

/**
 * An orbit between its state vectors by Lagrange polynomials through the eight nearest, position
 * and velocity apart. With vectors
 * 10 s apart the position is within a millimetre. Times outside the vectors by more than one
 * interval are refused.
 */
export class Orbit {
  private readonly vectors: StateVector[];
  constructor(vectors: readonly StateVector[]) {
    this.vectors = [...vectors]
      .sort((stateVector, b) => stateVector.t - b.t)
      .filter((vector, i, all) => i === 0 || vector.t > all[i - 1]!.t);
    if (this.vectors.length < 4) {
      throw new InputError(
        `An orbit needs four state vectors or more, not ${this.vectors.length}`,
        "orbit",
      );
    }
  }
  get start(): number {
    return this.vectors[0]!.t;
  }
  get end(): number {
    return this.vectors.at(-1)!.t;
  }

  /** Position, velocity and acceleration at a time. @throws InputError outside the vectors */
  at(t: number): { position: Vec3; velocity: Vec3; acceleration: Vec3 } {
    const vectors = this.vectors;
    const n = vectors.length;
    const reach = vectors[1]!.t - vectors[0]!.t;
    if (!(t >= this.start - reach && t <= this.end + reach)) {
      throw new InputError(
        `The orbit's vectors end ${Math.round(Math.min(Math.abs(t - this.start), Math.abs(t - this.end)))} s from the time asked for`,
        "orbit",
        "Use an orbit file that covers the acquisition.",
      );
    }
    let hi = 0;
    while (hi < n && vectors[hi]!.t < t) {
      hi++;
    }
    const count = Math.min(POINTS, n);
    const first = Math.max(0, Math.min(n - count, (hi - count / 2) | 0));
    const point: Vec3 = [0, 0, 0];
    const s: Vec3 = [0, 0, 0];
    const a: Vec3 = [0, 0, 0];
    for (let i = 0; i < count; i++) {
      const vi = vectors[first + i]!;
      let weight = 1;
      let slope = 0;
      for (let j = 0; j < count; j++) {
        if (j === i) {
          continue;
        }
        const tj = vectors[first + j]!.t;
        const delta = 1 / (vi.t - tj);
        slope = slope * (t - tj) * delta + weight * delta;
        weight *= (t - tj) * delta;
      }
      for (let k = 0; k < 3; k++) {
        point[k]! += weight * vi.position[k]!;
        s[k]! += weight * vi.velocity[k]!;
        a[k]! += slope * vi.velocity[k]!;
      }
    }
    return { position: point, velocity: s, acceleration: a };
  }
}
