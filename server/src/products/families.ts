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
  takes(scene: Scene): scene is ReadyScene;
  propose(chainInputs: ChainInputs): Chain;
  nodes(
    client: Client,
    chainInputs: ChainInputs,
    state: PrepareState,
  ): Promise<Map<string, ChainResult>>;
  /** What a cell of the board says of a scene. */
  text(
    cell: ChainCell,
    info: ImageInfo,
    readyScene: ReadyScene,
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

const settings = <C>(steps: readonly string[], state: PrepareState, id: string): C =>
  settingsOf(steps, state.chain, state.exceptions, id) as unknown as C;

const radar: FamilyHouse = {
  steps: CHAIN_STEPS,
  field: "chain",
  schema: radarChainSchema,
  check: (chain, e) => checkExceptions(chain as unknown as RadarChain, e),
  takes: (scene): scene is ReadyScene =>
    scene.imageId !== null && scene.info !== null && scene.info.sensor !== undefined,
  /** Settings that suit floods, on a grid made of the study's own cells and area. */
  propose({ study, scenes, elevations }) {
    const sensorModel = scenes[0]?.info.sensor;
    const looks = scenes
      .map((scene) => scene.looks?.[0])
      .filter((value): value is number => value != null);
    const ring = study.studyArea
      ? multiPolygonFrom(study.studyArea).flatMap((point) => point[0]!)
      : scenes.flatMap((scene) => scene.detail.outline as [number, number][]);
    const grid = proposeGrid(
      ring.length
        ? ring
        : [
            [0, 0],
            [0.01, 0.01],
          ],
      sensorModel ? nativeCellM(sensorModel.sampleSpacingM, sensorModel.lineSpacingM, 1, 1) : 10,
    );
    return floodChain(grid, {
      elevationId: elevations[0]?.id ?? null,
      looks: looks.length ? looks.reduce((a, b) => a + b) / looks.length : 4.4,
      rangeLooks: 1,
      azimuthLooks: 1,
    }) as unknown as Chain;
  },
  async nodes(client, { scenes, elevations, orbits }, state) {
    const parts = [];
    for (const scene of scenes) {
      const orbit = orbits.get(scene.id) ?? null;
      const sensorModel = scene.info.sensor!;
      const own = settings<RadarChain>(CHAIN_STEPS, state, scene.id);
      const readyScene =
        elevations.find((elevation) => elevation.id === own.terrain.elevationId) ?? null;
      parts.push({
        scene: {
          id: scene.id,
          imageId: scene.imageId,
          info: scene.info,
          orbit: orbit
            ? {
                kind: orbit.kind,
                vectors: await orbitVectors(
                  client,
                  orbit.id,
                  sensorModel.firstLineT,
                  sensorModel.firstLineT + sensorModel.lines * sensorModel.lineIntervalS,
                ),
              }
            : null,
        },
        settings: own,
        elevation: readyScene ? { imageId: readyScene.imageId, info: readyScene.info } : null,
      });
    }
    return chainNodes(parts);
  },
  async text(cell, info, readyScene, chain, sources, orbit) {
    const grid = info.grid;
    const radarChain = chain as unknown as RadarChain;
    switch (cell.step as ChainStep) {
      case "orbit":
        return orbit
          ? `${orbit.kind}, ${info.sensor!.orbit.length} vectors`
          : `own, ${info.sensor!.orbit.length} vectors`;
      case "noise": {
        const floor = await noiseFloor(readyScene, sources);
        return floor === null
          ? "no vectors"
          : `${floor < 0 ? "−" : ""}${Math.abs(floor).toFixed(1)} dB floor`;
      }
      case "calibrate":
        return `${{ beta: "β⁰", sigma: "σ⁰", gamma: "γ⁰" }[radarChain.calibrate.to]} ${info.bands.map((band) => band.polarisation).join(" ")}`;
      case "looks":
        return `${+(info.sensor!.sampleSpacingM * grid.transform[1]).toFixed(1)} x ${+(info.sensor!.lineSpacingM * grid.transform[5]).toFixed(1)} m`;
      case "speckle":
        return `${radarChain.speckle.filter === "refinedLee" ? 7 : radarChain.speckle.windowCells} x ${radarChain.speckle.filter === "refinedLee" ? 7 : radarChain.speckle.windowCells}`;
      case "flatten":
        return "γ⁰ of terrain";
      case "terrain":
        return `${grid.width} x ${grid.height}`;
      case "acrossDates":
        return `${cell.output.inputs.length} dates`;
      case "decibel":
        return "dB";
    }
  },
  kept: [{ step: "terrain", name: "Terrain" }],
  last: "Across dates",
  apart: (chain) =>
    (chain as unknown as RadarChain).terrain.on
      ? null
      : "lies in sensor geometry: Terrain is skipped",
};

/** Noise-equivalent sigma nought in the middle of the scene, dB. */
async function noiseFloor(readyScene: ReadyScene, sources: StoredSources): Promise<number | null> {
  const sensorModel = readyScene.info.sensor!;
  const luts = (await sources.luts(readyScene.imageId))[readyScene.info.bands[0]!.polarisation!];
  if (!luts || luts.noiseRange.length === 0) {
    return null;
  }
  const line = sensorModel.lines / 2;
  const at = (lutVectors: typeof luts.sigma) => {
    const lutVector = lutVectors[vectorsAround(lutVectors, line).a]!;
    return lutVector.values[lutVector.values.length >> 1]!;
  };
  return (
    10 *
    Math.log10(
      (at(luts.noiseRange) * azimuthFactor(luts.noiseAzimuth, line, sensorModel.samples / 2)) /
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
  const grid = first.info.grid;
  const ring = study.studyArea
    ? multiPolygonFrom(study.studyArea).flatMap((point) => point[0]!)
    : null;
  const back = transformer(grid.crs, LONLAT);
  if (isGeographic(grid.crs)) {
    return proposeGrid(
      ring ?? outline(grid).map(([x, y]) => back(x, y)),
      Math.max(1, Math.round(cellSize(grid)[1] * 111_320)),
    );
  }
  const w = ring
    ? windowAround(
        grid,
        ring.map(([x, y]) => transformer(LONLAT, grid.crs)(x, y)),
        AROUND,
      )
    : null;
  return w ? cutGrid(grid, w) : grid;
}
const sameDay = (scene: Scene, b: Scene): boolean =>
  new Date(scene.acquiredAt!).toISOString().slice(0, 10) ===
  new Date(b.acquiredAt!).toISOString().slice(0, 10);

const optical: FamilyHouse = {
  steps: OPTICAL_STEPS,
  field: "opticalChain",
  schema: opticalChainSchema,
  check: (chain, e) => checkOpticalExceptions(chain as unknown as OpticalChain, e),
  takes: (scene): scene is ReadyScene =>
    scene.imageId !== null &&
    scene.info !== null &&
    scene.acquiredAt !== null &&
    scene.info.optical !== undefined &&
    scene.info.bands.some(isLight),
  propose: ({ study, scenes }) =>
    proposedOptical(nativeGrid(study, scenes[0]), {
      hazard: study.hazard,
      quality:
        scenes.length > 0 &&
        scenes.every((scene) => scene.info.bands.some((band) => band.role === "quality")),
      frames: scenes.some((scene, k) =>
        scenes.some((readyScene, j) => j < k && sameDay(scene, readyScene)),
      ),
      bands: scenes[0]?.info.bands ?? [],
    }) as unknown as Chain,
  nodes: async (_c, { scenes }, state) =>
    opticalNodes(
      scenes.map((scene) => ({
        scene: {
          id: scene.id,
          name: scene.name,
          imageId: scene.imageId,
          info: scene.info,
          acquiredAt: new Date(scene.acquiredAt!).toISOString(),
        },
        settings: settings<OpticalChain>(OPTICAL_STEPS, state, scene.id),
      })),
    ),
  async text(cell, info, readyScene, chain) {
    const opticalChain = chain as unknown as OpticalChain;
    const names = { darkObject: "dark object", cost: "COST", empirical: "empirical" };
    switch (cell.step as OpticalStep) {
      case "mask":
        return readyScene.info.bands.some((band) => band.role === "quality")
          ? "quality bits"
          : "brightness";
      case "gaps":
        return cell.output.inputs[1] ? "other date" : "neighbours";
      case "reflectance":
        return info.optical?.level === 2 || info.optical?.bySun
          ? "scale, offset"
          : `sun ${info.optical!.sunElevationDeg!.toFixed(1)}°`;
      case "haze":
        return "by level";
      case "surface":
        return names[opticalChain.surface.method];
      case "mosaic":
        return `${cell.output.inputs.length} frames`;
      case "grid":
        return `${info.grid.width} x ${info.grid.height}`;
      case "indices":
        return opticalChain.indices.outputs.map((output) => output.name).join(", ");
    }
  },
  kept: [],
  last: "Result",
  apart: (chain) =>
    (chain as unknown as OpticalChain).grid.on
      ? null
      : "lies on its own cells: Study grid is skipped",
};

export const HOUSES: Record<Family, FamilyHouse> = { radar, optical };
