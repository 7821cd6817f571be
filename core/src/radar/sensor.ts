import { InputError } from "../errors";
import { type Vec3, cross, dot, mapVec, norm, sub, toEcef } from "../geodesy/ecef";
import { LONLAT, transformer } from "../geodesy/crs";
import { type Grid, toCell, toMap } from "../grid/grid";
import { Orbit, type StateVector } from "./orbit";

/**
 * Ground range in metres from slant range: Σ coefficient_i · (slant − origin)^i, in force from a
 * time on.
 */
export interface GroundRangePolynomial {
  t: number;
  origin: number;
  coefficients: number[];
}

/**
 * Geometry of a ground-range detected image. Lines and samples are those of the full product; a cut
 * or multilooked image of it lies
 * in the same frame through its grid, whose coordinates are (sample + ½, line + ½) of the product.
 */
export interface SensorModel {
  mission: string;
  mode: string;
  pass: "ascending" | "descending";
  look: "right" | "left";
  wavelengthM: number;
  orbit: StateVector[];
  orbitSource: "annotation" | "precise" | "restituted";
  /** Zero-Doppler time of the first line and between lines, seconds. */
  firstLineT: number;
  lineIntervalS: number;
  sampleSpacingM: number;
  lineSpacingM: number;
  groundRange: GroundRangePolynomial[];
  lines: number;
  samples: number;
}

/**
 * Where a point of the ground lies: zero-based line and sample (whole numbers are centres), slant
 * range in metres, time.
 */
export interface SensorPosition {
  line: number;
  sample: number;
  slantRangeM: number;
  t: number;
}

/**
 * Exact range–Doppler geometry of one product. Source: zero-Doppler condition (P − S(t))·V(t) = 0
 * by Newton iteration.
 */
export class RangeDoppler {
  readonly orbit: Orbit;
  private readonly polynomials: GroundRangePolynomial[];
  private lastT: number;
  constructor(readonly model: SensorModel) {
    this.orbit = new Orbit(model.orbit);
    this.polynomials = [...model.groundRange].sort((polynomial, b) => polynomial.t - b.t);
    if (this.polynomials.length === 0) {
      throw new InputError("The product has no ground range polynomial", "groundRange");
    }
    this.lastT = model.firstLineT + (model.lines / 2) * model.lineIntervalS;
  }

  /**
   * Zero-Doppler time of a point in the Earth-fixed frame. NaN when the point is never abeam within
   * the orbit's vectors.
   */
  zeroDoppler(point: Vec3, from = this.lastT): number {
    let t = from;
    for (let k = 0; k < 20; k++) {
      if (!(t >= this.orbit.start - 5 && t <= this.orbit.end + 5)) {
        return NaN;
      }
      const s = this.orbit.at(t);
      const toPoint = sub(point, s.position);
      const step =
        dot(toPoint, s.velocity) / (dot(toPoint, s.acceleration) - dot(s.velocity, s.velocity));
      t -= step;
      // Times are doubles of seconds since 2000, good to 1e-7 s; a step below 1e-6 leaves an error
      // far below that.
      if (Math.abs(step) < 1e-6) {
        return t;
      }
    }
    return NaN;
  }

  /** Line and sample of a point in the Earth-fixed frame; NaN where it is not seen abeam. */
  locate(point: Vec3): SensorPosition {
    const sensorModel = this.model;
    const t = this.zeroDoppler(point);
    if (Number.isNaN(t)) {
      return { line: NaN, sample: NaN, slantRangeM: NaN, t: NaN };
    }
    const slantRangeM = norm(sub(point, this.orbit.at(t).position));
    return {
      line: (t - sensorModel.firstLineT) / sensorModel.lineIntervalS,
      sample: this.groundRange(slantRangeM, t) / sensorModel.sampleSpacingM,
      slantRangeM,
      t,
    };
  }
  locateGeodetic(lonDeg: number, latDeg: number, height: number): SensorPosition {
    return this.locate(toEcef(lonDeg, latDeg, height));
  }

  /** The polynomial in force at a time: the last that began by then, else the first. */
  private polynomial(t: number): GroundRangePolynomial {
    let polynomial = this.polynomials[0]!;
    for (const candidate of this.polynomials) {
      if (candidate.t <= t) {
        polynomial = candidate;
      } else {
        break;
      }
    }
    return polynomial;
  }
  groundRange(slantRangeM: number, t: number): number {
    const polynomial = this.polynomial(t);
    const fromOrigin = slantRangeM - polynomial.origin;
    let groundRange = 0;
    for (let i = polynomial.coefficients.length - 1; i >= 0; i--) {
      groundRange = groundRange * fromOrigin + polynomial.coefficients[i]!;
    }
    return groundRange;
  }
  /** Slant range of a ground range, by Newton on the same polynomial. */
  slantRange(groundRangeM: number, t: number): number {
    const polynomial = this.polynomial(t);
    const c = polynomial.coefficients;
    let rate = 0;
    for (let k = 0; k < 50; k++) {
      let groundRange = 0;
      let slope = 0;
      for (let i = c.length - 1; i >= 0; i--) {
        slope = slope * rate + groundRange;
        groundRange = groundRange * rate + c[i]!;
      }
      const step = (groundRange - groundRangeM) / slope;
      rate -= step;
      if (Math.abs(step) < 1e-7) {
        break;
      }
    }
    return polynomial.origin + rate;
  }
  timeOf(line: number): number {
    return this.model.firstLineT + line * this.model.lineIntervalS;
  }

  /**
   * Where the beam of a line and sample meets the surface a height above the ellipsoid: the
   * intersection of the range sphere, the
   * zero-Doppler plane and the (inflated) ellipsoid on the look side, by Newton. Earth-fixed
   * metres.
   */
  ground(line: number, sample: number, height: number): Vec3 {
    const t = this.timeOf(line);
    const s = this.orbit.at(t);
    const range = this.slantRange(sample * this.model.sampleSpacingM, t);
    const a2 = (6378137 + height) ** 2;
    const b2 = (6356752.314245179 + height) ** 2;
    // Start below the satellite on the look side.
    const up = mapVec(s.position, (value) => value / norm(s.position));
    const along = mapVec(s.velocity, (x) => x / norm(s.velocity));
    const side = cross(along, up);
    const sign = this.model.look === "right" ? 1 : -1;
    const h = norm(s.position) - 6371000;
    const cos = Math.min(0.999, h / range);
    const sin = Math.sqrt(1 - cos * cos);
    let point = mapVec(s.position, (x, k) => x + range * (-cos * up[k]! + sign * sin * side[k]!));
    for (let k = 0; k < 30; k++) {
      const toPoint = sub(point, s.position);
      const residual: Vec3 = [
        dot(toPoint, toPoint) - range * range,
        dot(toPoint, s.velocity),
        (point[0] * point[0] + point[1] * point[1]) / a2 + (point[2] * point[2]) / b2 - 1,
      ];
      const jacobian: [Vec3, Vec3, Vec3] = [
        [2 * toPoint[0], 2 * toPoint[1], 2 * toPoint[2]],
        s.velocity,
        [(2 * point[0]) / a2, (2 * point[1]) / a2, (2 * point[2]) / b2],
      ];
      const step = solve3(jacobian, residual);
      point = sub(point, step);
      if (norm(step) < 1e-6) {
        return point;
      }
    }
    return [NaN, NaN, NaN];
  }

  /** Line and sample (+ ½: corner convention) as columns and rows of an image of the product. */
  onGrid(grid: Grid, at: SensorPosition): [number, number] {
    return toCell(grid, at.sample + 0.5, at.line + 0.5);
  }
}

function solve3([r0, r1, r2]: [Vec3, Vec3, Vec3], residual: Vec3): Vec3 {
  const det = (a: Vec3, b: Vec3, c: Vec3) =>
    a[0] * (b[1] * c[2] - b[2] * c[1]) -
    a[1] * (b[0] * c[2] - b[2] * c[0]) +
    a[2] * (b[0] * c[1] - b[1] * c[0]);
  const determinant = det(r0, r1, r2);
  const col = (k: number): number => {
    const rep = ([r0, r1, r2] as Vec3[]).map((r, i) =>
      mapVec(r, (value, j) => (j === k ? residual[i]! : value)),
    );
    return det(rep[0]!, rep[1]!, rep[2]!) / determinant;
  };
  return [col(0), col(1), col(2)];
}

/**
 * Geometry of a grid on the map as seen by a sensor: cell centres with a height to line and sample.
 */
export function cellLocator(
  rd: RangeDoppler,
  grid: Grid,
): (col: number, row: number, height: number) => SensorPosition {
  const pointTransform = transformer(grid.crs, LONLAT);
  return (col, row, height) =>
    rd.locateGeodetic(...pointTransform(...toMap(grid, col, row)), height);
}
