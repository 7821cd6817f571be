import * as yup from "yup";
import type { Grid } from "../../grid/grid";
import { sameGrid } from "../../grid/grid";
import { type NodeSpec, node } from "../../graph/node";
import { onGrid } from "../../graph/onGrid";
import { terrainStep } from "../../graph/steps/geocode";
import { RESAMPLING } from "../../raster/resampling";

import { RESAMPLINGS } from "../commonFields";
import { gridText } from "../gridText";
import { gridSchema, outside, sceneOrNone, yes, stepSettings } from "../settings";
import type { Outside } from "../../terrain/outside";
import { offPerMetre } from "../../radar/offPerMetre";
import { type Elevation, beyondElevation, coverWarning, heightsFor } from "./elevation";
import type { RadarScene, RadarStep } from "./family";
import type { Field } from "../../form/fields";

const settings = stepSettings({
  grid: gridSchema,
  elevationId: sceneOrNone,
  outside,
  extras: yes,
  resampling: yup.string().oneOf(RESAMPLING),
  elevationResampling: yup.string().oneOf(["nearest", "bilinear"] as const),
});
type TerrainSettings = yup.InferType<typeof settings>;

/** Heights on the study grid, resampled as asked; none without elevation. */
function heightsOnGrid(
  elevation: Elevation | null,
  grid: Grid,
  resampling: TerrainSettings["elevationResampling"],
): NodeSpec[] {
  const heights = heightsFor(elevation);
  if (!heights || !elevation) {
    return [];
  }
  return resampling === "nearest" && !sameGrid(elevation.info.grid, grid)
    ? [node("grid.warp", { grid, kernel: "nearest" }, heights)]
    : [onGrid(heights, elevation.info, grid)];
}

/** How far places lie off for what no elevation tells, in words. */
function offBy({ info }: RadarScene, grid: Grid, outside: Outside): string {
  const perMetre = info.sensor ? offPerMetre(info.sensor, grid) : null;
  const from = outside === "seaLevel" ? "the sea" : "the ellipsoid";
  return perMetre === null
    ? `places on hills lie off by about their height above ${from}, towards the sensor`
    : `places lie off towards the sensor by ${perMetre.toFixed(1)} m for each metre above ${from}: by ${Math.round(10 * perMetre) * 10} m on a hill of 100 m`;
}

function warningsOf(scene: RadarScene, grid: Grid, outside: Outside): string[] {
  const { elevation, unusedElevation } = scene;
  if (!elevation) {
    const [lacking, remedy] = unusedElevation
      ? ["No elevation is picked", `Pick ${unusedElevation} in Terrain.`]
      : ["There is no elevation", "Add a scene of elevation."];
    return [`${lacking}: ${offBy(scene, grid, outside)}. ${remedy}`];
  }
  const missing = coverWarning(elevation, outside);
  const isUnknown = (elevation.info.bands[0]?.vertical ?? null) === null;
  return [
    ...(missing ? [missing] : []),
    ...(elevation.datumDoubt ? [elevation.datumDoubt] : []),
    ...(isUnknown
      ? [
          "It is not known what the heights of the elevation are counted from; they are taken as above the ellipsoid. If they are above sea level, places lie off by up to 100 m. Say which in Scenes.",
        ]
      : []),
  ];
}

const ELEVATION_TAKES: Field = {
  kind: "choice",
  at: "elevationResampling",
  label: "Elevation takes",
  name: "Resampling of the elevation",
  usual: "bilinear",
  options: RESAMPLINGS.slice(0, 2),
};

/** Puts the image on the study grid. */
export const terrain: RadarStep<"terrain", TerrainSettings> = {
  key: "terrain",
  name: "Terrain",
  help: "Puts the image on the study grid with orbit and elevation. All dates come to lie on the same cells.",
  settings,
  graph: [terrainStep],
  common: { field: "grid", why: "One date cannot have a grid of its own" },
  apart: "lies in sensor geometry: Terrain is skipped",
  kept: true,
  propose: ({ grid, elevationId }) => ({
    on: true,
    grid,
    elevationId,
    outside: "seaLevel",
    extras: true,
  }),
  place(row) {
    const { on: runs, grid, resampling, elevationResampling, ...own } = row.settings.terrain;
    if (!runs) {
      row.skip(["Without Terrain the images stay in sensor geometry and cannot be compared."]);
      return;
    }
    const { elevation } = row.scene;
    row.put(
      node(
        "radar.terrain",
        {
          grid,
          outside: own.outside,
          extras: own.extras,
          ...(resampling && resampling !== "bilinear" ? { resampling } : {}),
        },
        row.before,
        ...heightsOnGrid(elevation, grid, elevationResampling),
      ),
      warningsOf(row.scene, grid, own.outside),
    );
  },
  sentence: (own) => gridText(own.grid),
  shows: ({ info }) => `${info.grid.width} x ${info.grid.height}`,
  fields: (own) => [
    {
      kind: "scene",
      at: "elevationId",
      label: "Elevation",
      among: "elevation",
      none: { value: null, name: "None: the ellipsoid" },
    },
    { kind: "grid", at: "grid", coarsestM: 1000 },
    {
      kind: "choice",
      at: "resampling",
      label: "Image takes",
      name: "Resampling of the image",
      usual: "bilinear",
      options: RESAMPLINGS,
    },
    ...(own.elevationId ? [ELEVATION_TAKES] : []),
    beyondElevation,
    { kind: "switch", at: "extras", label: "Incidence and hidden cells", name: "Extra bands" },
    { kind: "gridSize", at: "grid" },
  ],
};
