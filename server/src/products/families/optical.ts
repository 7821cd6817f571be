import type { Chain } from "@hindglance/core/chain/family";
import type { OpticalScene } from "@hindglance/core/chain/optical/family";
import { hasQuality } from "@hindglance/core/chain/optical/scene";
import { proposedOptical } from "@hindglance/core/chain/opticalChain";
import { proposeGrid } from "@hindglance/core/chain/proposeGrid";
import { isGeographic } from "@hindglance/core/geodesy/crs";
import { ontoGlobe, ontoGrid } from "@hindglance/core/grid/globe";
import { isLight } from "@hindglance/core/graph/steps/common";
import { type Grid, cellSize, outline } from "@hindglance/core/grid/grid";
import { cutGrid, windowAround } from "@hindglance/core/grid/union";
import type { Study } from "../../db/studies";
import { type ChainInputs, type FamilyHouse, NOWHERE, type ReadyScene, areaPoints } from "./house";
import { METRES_A_DEGREE } from "@hindglance/core/grid/metres";

/** Room around the study area, in cells. */
const AROUND = 8;
/** Cell size of a study without a scene, metres. */
const USUAL_CELL_M = 30;

/**
 * The first date's own cells over the study area, or over all of its ground; a grid in degrees is
 * turned to metres.
 */
function nativeGrid(study: Study, first: ReadyScene | undefined): Grid {
  if (!first) {
    return proposeGrid(NOWHERE, USUAL_CELL_M);
  }
  const grid = first.info.grid;
  const points = areaPoints(study);
  if (isGeographic(grid.crs)) {
    const back = ontoGlobe(grid);
    return proposeGrid(
      points ?? outline(grid).map(([x, y]) => back(x, y)),
      Math.max(1, Math.round(cellSize(grid)[1] * METRES_A_DEGREE)),
    );
  }
  if (!points) {
    return grid;
  }
  const to = ontoGrid(grid);
  const window = windowAround(
    grid,
    points.map(([x, y]) => to(x, y)),
    AROUND,
  );
  return window ? cutGrid(grid, window) : grid;
}

const dayOf = (scene: ReadyScene): string => new Date(scene.acquiredAt!).toISOString().slice(0, 10);

function propose({ study, scenes }: ChainInputs): Chain {
  const days = scenes.map(dayOf);
  return {
    ...proposedOptical(nativeGrid(study, scenes[0]), {
      hazard: study.hazard,
      quality: scenes.length > 0 && scenes.every((scene) => hasQuality(scene.info)),
      frames: new Set(days).size < days.length,
      bands: scenes[0]?.info.bands ?? [],
    }),
  };
}

const opticalScene = (ready: ReadyScene): OpticalScene => ({
  id: ready.id,
  name: ready.name,
  imageId: ready.imageId,
  info: ready.info,
  acquiredAt: new Date(ready.acquiredAt!).toISOString(),
});

/** Optical scenes, from digital numbers or reflectance to indices on the study grid. */
export const optical: FamilyHouse = {
  family: "optical",
  field: "opticalChain",
  takes: (scene): scene is ReadyScene =>
    scene.imageId !== null &&
    scene.info !== null &&
    scene.acquiredAt !== null &&
    scene.info.optical !== undefined &&
    scene.info.bands.some(isLight),
  propose,
  dated: (_client, { scenes }, settingsAt) =>
    Promise.resolve(
      scenes.map((ready) => ({ scene: opticalScene(ready), settings: settingsAt(ready.id) })),
    ),
  last: "Result",
};
