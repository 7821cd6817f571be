import type { Chain, Family } from "@hindglance/core/chain/family";
import type { ChainScene } from "@hindglance/core/chain/row";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import type { Client } from "../../db/pool";
import type { StoredOrbit } from "../../db/products";
import type { Scene } from "../../db/scenes";
import type { Study } from "../../db/studies";

/** A scene whose image is stored whole. */
export type ReadyScene = Scene & { imageId: string; info: ImageInfo };

/** Whether a scene's image is stored whole. */
export const isReady = (scene: Scene | null): scene is ReadyScene =>
  scene !== null && scene.imageId !== null && scene.info !== null;

/** What chains need to know beyond their settings. */
export interface ChainInputs {
  study: Study;
  scenes: ReadyScene[];
  elevations: ReadyScene[];
  orbits: Map<string, StoredOrbit | null>;
  /** By radar product, orbit files that would serve it but for a gap. */
  brokenOrbits: Map<string, string[]>;
}

/** A scene as its chain takes it, with the settings of its date. */
export interface DatedScene {
  scene: ChainScene;
  settings: Chain;
}

/** What the server knows of a sensor family beyond its steps. */
export interface FamilyHouse {
  family: Family;
  /** Field of the study in which the chain is kept. */
  field: "chain" | "opticalChain";
  takes(scene: Scene): scene is ReadyScene;
  /** What a study begins with. */
  propose(inputs: ChainInputs): Chain;
  /** Scenes with what their chain works with: orbits, elevation, days. */
  dated(
    client: Client,
    inputs: ChainInputs,
    settingsAt: (sceneId: string) => Chain,
  ): Promise<DatedScene[]>;
  /** What the last result is called, for runs. */
  last: string;
}

/** Corner points of the study area, lon/lat; null without one. */
export const areaPoints = ({ studyArea }: Study): [number, number][] | null =>
  studyArea && multiPolygonFrom(studyArea).flatMap((polygon) => polygon[0]!);

/** Ground that stands for a study in which there is none yet, lon/lat. */
export const NOWHERE: [number, number][] = [
  [0, 0],
  [0.01, 0.01],
];
