import type { ObjectSchema } from "yup";
import {
  type Chain,
  type ChainCell,
  type ChainResult,
  type Exceptions,
  type Family,
  settingsOf,
} from "@hindglance/core/chain/family";
import {
  OPTICAL_STEPS,
  type OpticalChain,
  type OpticalStep,
  checkOpticalExceptions,
  opticalChainSchema,
  opticalNodes,
  proposedOptical,
} from "@hindglance/core/chain/opticalChain";
import { nativeCellM, proposeGrid } from "@hindglance/core/chain/proposeGrid";
import {
  CHAIN_STEPS,
  type ChainStep,
  type RadarChain,
  chainNodes,
  checkExceptions,
  floodChain,
  radarChainSchema,
} from "@hindglance/core/chain/radarChain";
import { LONLAT, isGeographic, transformer } from "@hindglance/core/geodesy/crs";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { isLight } from "@hindglance/core/graph/steps/common";
import { cellSize, type Grid, outline } from "@hindglance/core/grid/grid";
import { cutGrid, windowAround } from "@hindglance/core/grid/union";
import { azimuthFactor, vectorsAround } from "@hindglance/core/radar/luts";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import type { Client } from "../db/pool";
import { type StoredOrbit, orbitVectors } from "../db/products";
import type { Scene } from "../db/scenes";
import type { Study } from "../db/studies";
import type { StoredSources } from "../eval/sources";

export type ReadyScene = Scene & { imageId: string; info: ImageInfo };
export interface PrepareState {
  chain: Chain;
  exceptions: Exceptions;
  heldOut: string[];
}
/** What chains need to know beyond their settings. */
export interface ChainInputs {
  study: Study;
  scenes: ReadyScene[];
  elevations: ReadyScene[];
  orbits: Map<string, StoredOrbit | null>;
}

/**
 * What the server knows of a sensor family: which scenes are of it, its settings, and the nodes
 * that follow from them.
 */
interface FamilyHouse {
  steps: readonly string[];
  /** Field of the study in which the chain is kept. */
  field: "chain" | "opticalChain";
  schema: ObjectSchema<Chain>;
  check(chain: Chain, exceptions: unknown): Exceptions;
  takes(s: Scene): s is ReadyScene;
  propose(i: ChainInputs): Chain;
  nodes(c: Client, i: ChainInputs, state: PrepareState): Promise<Map<string, ChainResult>>;
  /** What a cell of the board says of a scene. */
  text(
    cell: ChainCell,
    info: ImageInfo,
    s: ReadyScene,
    chain: Chain,
    sources: StoredSources,
    orbit: StoredOrbit | null,
  ): Promise<string>;
  /** Results that are kept on the way to the last one, by step and the words for it. */
  kept: { step: string; name: string }[];
  /** The name of the last step, for runs. */
  last: string;
  /** Why results cannot be compared with each other though every step can run. */
  apart(chain: Chain): string | null;
}

const settings = <C>(steps: readonly string[], s: PrepareState, id: string): C =>
  settingsOf(steps, s.chain, s.exceptions, id) as unknown as C;

const radar: FamilyHouse = {
  steps: CHAIN_STEPS,
  field: "chain",
  schema: radarChainSchema,
  check: (c, e) => checkExceptions(c as unknown as RadarChain, e),
  takes: (s): s is ReadyScene =>
    s.imageId !== null && s.info !== null && s.info.sensor !== undefined,
  /** Settings that suit floods, on a grid made of the study's own cells and area. */
  propose({ study, scenes, elevations }) {
    const m = scenes[0]?.info.sensor;
    const looks = scenes.map((s) => s.looks?.[0]).filter((v): v is number => v != null);
    const ring = study.studyArea
      ? multiPolygonFrom(study.studyArea).flatMap((p) => p[0]!)
      : scenes.flatMap((s) => s.detail.outline as [number, number][]);
    const grid = proposeGrid(
      ring.length
        ? ring
        : [
            [0, 0],
            [0.01, 0.01],
          ],
      m ? nativeCellM(m.sampleSpacingM, m.lineSpacingM, 1, 1) : 10,
    );
    return floodChain(grid, {
      elevationId: elevations[0]?.id ?? null,
      looks: looks.length ? looks.reduce((a, b) => a + b) / looks.length : 4.4,
      rangeLooks: 1,
      azimuthLooks: 1,
    }) as unknown as Chain;
  },
  async nodes(c, { scenes, elevations, orbits }, state) {
    const parts = [];
    for (const s of scenes) {
      const o = orbits.get(s.id) ?? null;
      const m = s.info.sensor!;
      const own = settings<RadarChain>(CHAIN_STEPS, state, s.id);
      const z = elevations.find((e) => e.id === own.terrain.elevationId) ?? null;
      parts.push({
        scene: {
          id: s.id,
          imageId: s.imageId,
          info: s.info,
          orbit: o
            ? {
                kind: o.kind,
                vectors: await orbitVectors(
                  c,
                  o.id,
                  m.firstLineT,
                  m.firstLineT + m.lines * m.lineIntervalS,
                ),
              }
            : null,
        },
        settings: own,
        elevation: z ? { imageId: z.imageId, info: z.info } : null,
      });
    }
    return chainNodes(parts);
  },
  async text(cell, info, s, chain, sources, orbit) {
    const g = info.grid;
    const c = chain as unknown as RadarChain;
    switch (cell.step as ChainStep) {
      case "orbit":
        return orbit
          ? `${orbit.kind}, ${info.sensor!.orbit.length} vectors`
          : `own, ${info.sensor!.orbit.length} vectors`;
      case "noise": {
        const floor = await noiseFloor(s, sources);
        return floor === null
          ? "no vectors"
          : `${floor < 0 ? "−" : ""}${Math.abs(floor).toFixed(1)} dB floor`;
      }
      case "calibrate":
        return `${{ beta: "β⁰", sigma: "σ⁰", gamma: "γ⁰" }[c.calibrate.to]} ${info.bands.map((b) => b.polarisation).join(" ")}`;
      case "looks":
        return `${+(info.sensor!.sampleSpacingM * g.transform[1]).toFixed(1)} x ${+(info.sensor!.lineSpacingM * g.transform[5]).toFixed(1)} m`;
      case "speckle":
        return `${c.speckle.filter === "refinedLee" ? 7 : c.speckle.windowCells} x ${c.speckle.filter === "refinedLee" ? 7 : c.speckle.windowCells}`;
      case "flatten":
        return "γ⁰ of terrain";
      case "terrain":
        return `${g.width} x ${g.height}`;
      case "acrossDates":
        return `${cell.output.inputs.length} dates`;
      case "decibel":
        return "dB";
    }
  },
  kept: [{ step: "terrain", name: "Terrain" }],
  last: "Across dates",
  apart: (c) =>
    (c as unknown as RadarChain).terrain.on ? null : "lies in sensor geometry: Terrain is skipped",
};

/** Noise-equivalent sigma nought in the middle of the scene, dB. */
async function noiseFloor(s: ReadyScene, sources: StoredSources): Promise<number | null> {
  const m = s.info.sensor!;
  const luts = (await sources.luts(s.imageId))[s.info.bands[0]!.polarisation!];
  if (!luts || luts.noiseRange.length === 0) {
    return null;
  }
  const line = m.lines / 2;
  const at = (v: typeof luts.sigma) => {
    const e = v[vectorsAround(v, line).a]!;
    return e.values[e.values.length >> 1]!;
  };
  return (
    10 *
    Math.log10(
      (at(luts.noiseRange) * azimuthFactor(luts.noiseAzimuth, line, m.samples / 2)) /
        at(luts.sigma) ** 2,
    )
  );
}

/** Room around the study area, in cells. */
const AROUND = 8;
/**
 * The first date's own cells over the study area, or over all of its ground; a grid in degrees is
 * turned to metres.
 */
function nativeGrid(study: Study, first: ReadyScene | undefined): Grid {
  if (!first) {
    return proposeGrid(
      [
        [0, 0],
        [0.01, 0.01],
      ],
      30,
    );
  }
  const g = first.info.grid;
  const ring = study.studyArea ? multiPolygonFrom(study.studyArea).flatMap((p) => p[0]!) : null;
  const back = transformer(g.crs, LONLAT);
  if (isGeographic(g.crs)) {
    return proposeGrid(
      ring ?? outline(g).map(([x, y]) => back(x, y)),
      Math.max(1, Math.round(cellSize(g)[1] * 111_320)),
    );
  }
  const w = ring
    ? windowAround(
        g,
        ring.map(([x, y]) => transformer(LONLAT, g.crs)(x, y)),
        AROUND,
      )
    : null;
  return w ? cutGrid(g, w) : g;
}
const sameDay = (a: Scene, b: Scene): boolean =>
  new Date(a.acquiredAt!).toISOString().slice(0, 10) ===
  new Date(b.acquiredAt!).toISOString().slice(0, 10);

const optical: FamilyHouse = {
  steps: OPTICAL_STEPS,
  field: "opticalChain",
  schema: opticalChainSchema,
  check: (c, e) => checkOpticalExceptions(c as unknown as OpticalChain, e),
  takes: (s): s is ReadyScene =>
    s.imageId !== null &&
    s.info !== null &&
    s.acquiredAt !== null &&
    s.info.optical !== undefined &&
    s.info.bands.some(isLight),
  propose: ({ study, scenes }) =>
    proposedOptical(nativeGrid(study, scenes[0]), {
      hazard: study.hazard,
      quality:
        scenes.length > 0 && scenes.every((s) => s.info.bands.some((b) => b.role === "quality")),
      frames: scenes.some((s, k) => scenes.some((x, j) => j < k && sameDay(s, x))),
      bands: scenes[0]?.info.bands ?? [],
    }) as unknown as Chain,
  nodes: async (_c, { scenes }, state) =>
    opticalNodes(
      scenes.map((s) => ({
        scene: {
          id: s.id,
          name: s.name,
          imageId: s.imageId,
          info: s.info,
          acquiredAt: new Date(s.acquiredAt!).toISOString(),
        },
        settings: settings<OpticalChain>(OPTICAL_STEPS, state, s.id),
      })),
    ),
  async text(cell, info, s, chain) {
    const c = chain as unknown as OpticalChain;
    const names = { darkObject: "dark object", cost: "COST", empirical: "empirical" };
    switch (cell.step as OpticalStep) {
      case "mask":
        return s.info.bands.some((b) => b.role === "quality") ? "quality bits" : "brightness";
      case "gaps":
        return cell.output.inputs[1] ? "other date" : "neighbours";
      case "reflectance":
        return info.optical?.level === 2 || info.optical?.bySun
          ? "scale, offset"
          : `sun ${info.optical!.sunElevationDeg!.toFixed(1)}°`;
      case "haze":
        return "by level";
      case "surface":
        return names[c.surface.method];
      case "mosaic":
        return `${cell.output.inputs.length} frames`;
      case "grid":
        return `${info.grid.width} x ${info.grid.height}`;
      case "indices":
        return c.indices.outputs.map((o) => o.name).join(", ");
    }
  },
  kept: [],
  last: "Result",
  apart: (c) =>
    (c as unknown as OpticalChain).grid.on ? null : "lies on its own cells: Study grid is skipped",
};

export const HOUSES: Record<Family, FamilyHouse> = { radar, optical };
