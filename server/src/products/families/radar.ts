import { nativeCellM, proposeGrid } from "@hindglance/core/chain/proposeGrid";
import type { Elevation } from "@hindglance/core/chain/radar/elevation";
import type { RadarScene } from "@hindglance/core/chain/radar/family";
import { floodChain } from "@hindglance/core/chain/radarChain";
import type { Chain } from "@hindglance/core/chain/family";
import type { RadarChain } from "@hindglance/core/chain/radar/steps";
import type { Client } from "../../db/pool";
import { elevationCover, elevationDoubt } from "../elevationCover";
import { type StoredOrbit, orbitVectors } from "../../db/products";
import { type ChainInputs, type FamilyHouse, NOWHERE, type ReadyScene, areaPoints } from "./house";

/** Looks of a ground-range product of which they were not measured. */
const USUAL_LOOKS = 4.4;
/** Cell size of a study without a scene, metres. */
const USUAL_CELL_M = 10;

const mean = (values: readonly number[]): number =>
  values.reduce((sum, value) => sum + value, 0) / values.length;

/** Settings that suit floods, on a grid made of the study's own cells and area. */
function propose({ study, scenes, elevations }: ChainInputs): Chain {
  const sensor = scenes[0]?.info.sensor;
  const looks = scenes.map((scene) => scene.looks?.[0]).filter((value) => value != null);
  const points = areaPoints(study) ?? scenes.flatMap((scene) => scene.detail.outline ?? []);
  const cellM = sensor
    ? nativeCellM(sensor.sampleSpacingM, sensor.lineSpacingM, 1, 1)
    : USUAL_CELL_M;
  return {
    ...floodChain(proposeGrid(points.length ? points : NOWHERE, cellM), {
      elevationId: elevations[0]?.id ?? null,
      looks: looks.length ? mean(looks) : USUAL_LOOKS,
      rangeLooks: 1,
      azimuthLooks: 1,
    }),
  };
}

/** An orbit file cut to the time of a scene. */
async function orbitOver(
  client: Client,
  scene: ReadyScene,
  file: StoredOrbit | null,
): Promise<RadarScene["orbit"]> {
  if (!file) {
    return null;
  }
  const { firstLineT, lines, lineIntervalS } = scene.info.sensor!;
  const vectors = await orbitVectors(
    client,
    file.id,
    firstLineT,
    firstLineT + lines * lineIntervalS,
  );
  return { kind: file.kind, vectors };
}

/** The elevation that the settings of a date name, with how much of the date it covers. */
async function elevationOf(
  client: Client,
  elevations: readonly ReadyScene[],
  settings: Chain,
  scene: ReadyScene,
): Promise<Elevation | null> {
  const { elevationId, grid }: Partial<RadarChain["terrain"]> = settings.terrain ?? {};
  const picked = elevations.find((elevation) => elevation.id === elevationId);
  if (!picked) {
    return null;
  }
  const cover = grid ? await elevationCover(client, scene, picked, grid) : null;
  const datumDoubt = await elevationDoubt(client, picked);
  return { imageId: picked.imageId, info: picked.info, cover, datumDoubt };
}

/** Radar products, from their digital numbers to power on the study grid. */
export const radar: FamilyHouse = {
  family: "radar",
  field: "chain",
  takes: (scene): scene is ReadyScene =>
    scene.imageId !== null && scene.info !== null && scene.info.sensor !== undefined,
  propose,
  async dated(client, { scenes, elevations, orbits, brokenOrbits }, settingsAt) {
    const out = [];
    for (const ready of scenes) {
      const settings = settingsAt(ready.id);
      const elevation = await elevationOf(client, elevations, settings, ready);
      const scene: RadarScene = {
        id: ready.id,
        imageId: ready.imageId,
        info: ready.info,
        orbit: await orbitOver(client, ready, orbits.get(ready.id) ?? null),
        brokenOrbits: brokenOrbits.get(ready.id) ?? [],
        elevation,
        unusedElevation: elevations[0]?.name ?? null,
      };
      out.push({ scene, settings });
    }
    return out;
  },
  last: "Across dates",
};
