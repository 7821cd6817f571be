import { isFiniteNumber, isRecord } from "../values";

/**
 * Where a place of the map lies in another frame: a polynomial of order 0 to 3, or a thin plate
 * spline, in coordinates that are centred and scaled so that
 * high powers stay sound. Plain numbers, so that it can stand in a node.
 */
export type Path = PolynomialPath | SplinePath;
export interface PolynomialPath {
  kind: "polynomial";
  order: 0 | 1 | 2 | 3;
  centre: [number, number];
  scale: number;
  /** Coefficients of the terms of `termsOf`. */ x: number[];
  y: number[];
}
export interface SplinePath {
  kind: "spline";
  centre: [number, number];
  scale: number;
  /** Scaled places of the points. */ at: [number, number][];
  /** Weights of the points, then those of 1, u and v. */ x: number[];
  y: number[];
}

/** Terms of a polynomial in two variables up to an order: 1, u, v, u², uv, v², u³, u²v, uv², v³. */
export function termsOf(order: number, across: number, value: number): number[] {
  const out = [1];
  if (order >= 1) {
    out.push(across, value);
  }
  if (order >= 2) {
    out.push(across * across, across * value, value * value);
  }
  if (order >= 3) {
    out.push(
      across * across * across,
      across * across * value,
      across * value * value,
      value * value * value,
    );
  }
  return out;
}
export const TERMS = [1, 3, 6, 10] as const;
/** The radial function of a thin plate: r² ln r, with r² given. Source: Bookstein 1989. */
export const thinPlate = (r2: number): number => (r2 > 0 ? 0.5 * r2 * Math.log(r2) : 0);

/** A path as a function of map coordinates. */
export function pathFunction(path: Path): (x: number, y: number) => [number, number] {
  const [cx, cy] = path.centre;
  const k = 1 / path.scale;
  const { x: ax, y: ay } = path;
  if (path.kind === "polynomial") {
    return (x, y) => {
      const t = termsOf(path.order, (x - cx) * k, (y - cy) * k);
      let a = 0;
      let b = 0;
      for (let i = 0; i < t.length; i++) {
        a += ax[i]! * t[i]!;
        b += ay[i]! * t[i]!;
      }
      return [a, b];
    };
  }
  const { at } = path;
  const n = at.length;
  return (x, y) => {
    const across = (x - cx) * k;
    const value = (y - cy) * k;
    let a = ax[n]! + ax[n + 1]! * across + ax[n + 2]! * value;
    let b = ay[n]! + ay[n + 1]! * across + ay[n + 2]! * value;
    for (let i = 0; i < n; i++) {
      const du = across - at[i]![0];
      const dv = value - at[i]![1];
      const w = thinPlate(du * du + dv * dv);
      a += ax[i]! * w;
      b += ay[i]! * w;
    }
    return [a, b];
  };
}

const MOST_POINTS = 2000;
const isList = (value: unknown, length: number): boolean =>
  Array.isArray(value) && value.length === length && value.every(Number.isFinite);
const isPair = (value: unknown): boolean => isList(value, 2);
const isOrder = (value: unknown): value is 0 | 1 | 2 | 3 =>
  value === 0 || value === 1 || value === 2 || value === 3;
/** Whether something is a path: for what comes from outside. */
export function isPath(value: unknown): value is Path {
  if (
    !isRecord(value) ||
    !isPair(value.centre) ||
    !(isFiniteNumber(value.scale) && value.scale > 0)
  ) {
    return false;
  }
  if (value.kind === "polynomial") {
    const terms = isOrder(value.order) ? TERMS[value.order] : NaN;
    return isList(value.x, terms) && isList(value.y, terms);
  }
  if (value.kind !== "spline" || !Array.isArray(value.at)) {
    return false;
  }
  const weights = value.at.length + 3;
  return (
    value.at.length <= MOST_POINTS &&
    value.at.every(isPair) &&
    isList(value.x, weights) &&
    isList(value.y, weights)
  );
}
