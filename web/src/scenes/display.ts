import { bandsOfCombination } from "@hindglance/core/optical/wavelengths";
import {
  type Histogram,
  histogramTotal,
  momentsOf,
  quantile,
} from "@hindglance/core/raster/histogram";
import type { Scene } from "../api/types";
import type { Stretch } from "../map/layers";
import { type Breaks, type Ramp, rampById, rampFor } from "../map/ramps";

export type StretchKind = "all" | "p1" | "p2" | "p5" | "s1" | "s2" | "s3";
export const STRETCHES: { value: StretchKind; name: string; note: string }[] = [
  { value: "all", name: "Min–max", note: "from the smallest to the largest value" },
  { value: "p1", name: "1 %", note: "cut at either end" },
  { value: "p2", name: "2 %", note: "cut at either end" },
  { value: "p5", name: "5 %", note: "cut at either end" },
  { value: "s1", name: "1 σ", note: "standard deviations about the mean" },
  { value: "s2", name: "2 σ", note: "standard deviations about the mean" },
  { value: "s3", name: "3 σ", note: "standard deviations about the mean" },
];
/**
 * How a scene is drawn: one band or three, how its values are spread over colours, from the whole
 * scene or from what is on screen; ramp and break points of a single band.
 */
export interface Display {
  mode: "single" | "three";
  bands: [number, number, number];
  stretch: StretchKind;
  by: "scene" | "view";
  gamma: number;
  ramp: string | null;
  breaks: Breaks | null;
}

/** How a scene is drawn before anybody chose: natural colour, or its first band. */
export function firstDisplay(scene: Scene): Display {
  const natural =
    scene.kind === "optical" && scene.info ? bandsOfCombination(scene.info.bands, "natural") : null;
  const rest = { stretch: "p2", by: "scene", gamma: 1, ramp: null, breaks: null } as const;
  return natural
    ? { mode: "three", bands: natural, ...rest }
    : { mode: "single", bands: [0, Math.min(1, (scene.info?.bands.length ?? 1) - 1), 0], ...rest };
}

/**
 * Digital numbers of an optical band as the reflectance that is shown in their place; other values
 * as they are.
 */
export function asShown(scene: Scene, band: number): (value: number) => number {
  const b = scene.info?.bands[band];
  const optical = scene.info?.optical;
  const gain = b?.gain;
  if (b?.role !== "dn" || !gain || !optical) {
    return (value) => value;
  }
  const sun =
    optical.level === 1 && !optical.bySun && optical.sunElevationDeg != null
      ? Math.sin((optical.sunElevationDeg * Math.PI) / 180)
      : 1;
  return (value) => (value * gain.multiply + gain.add) / sun;
}

/** Ends of a stretch from a histogram, by percent or by deviations about the mean. */
export function endsOf(histogram: Histogram, kind: StretchKind): [number, number] {
  if (kind === "all") {
    return [quantile(histogram, 1e-9), quantile(histogram, 1)];
  }
  if (kind[0] === "p") {
    const cut = Number(kind.slice(1)) / 100;
    return [quantile(histogram, cut), quantile(histogram, 1 - cut)];
  }
  const { mean, deviation } = momentsOf(histogram);
  const far = Number(kind.slice(1)) * deviation;
  return [mean - far, mean + far];
}

/**
 * Ends of the colours of a band, in the unit in which it is drawn (decibels for power, reflectance
 * for digital numbers with gains). `view`: histogram of what is on screen, in that unit already.
 */
export function stretchOf(
  scene: Scene,
  band: number,
  kind: StretchKind,
  show = asShown(scene, band),
  view: Histogram | null = null,
): Stretch {
  const histogram = view ?? scene.histograms?.[band];
  if (!histogram || !(histogramTotal(histogram) > 0)) {
    return { lo: 0, hi: 1 };
  }
  const ends = endsOf(histogram, kind);
  const [lo, hi] = view ? ends : [show(ends[0]), show(ends[1])];
  return hi > lo ? { lo, hi } : { lo: lo - 0.5, hi: lo + 0.5 };
}

/** The ramp of a scene's band: the chosen one, else the one that suits it. */
export const rampOf = (scene: Scene, display: Display): Ramp =>
  rampById(
    display.ramp ??
      (scene.kind === "elevation"
        ? "height"
        : rampFor(scene.info!.bands[Math.min(display.bands[0], scene.info!.bands.length - 1)]!)),
  );
