import { isGeographic } from "@hindglance/core/geodesy/crs";
import { toldCellSize } from "@hindglance/core/grid/metres";
import type { Scene } from "../../api/types";
import { bytes, dayYear, number, time } from "../../lib/format";
import { KIND_NAMES } from "../answers";

/** A fact that a file says of its scene. A line without a name goes on with the one before it. */
export type Fact = [name: string, said: string];

/** One fact, or none where it is not known. */
const fact = (name: string, said: string | null | undefined): Fact[] =>
  said ? [[name, said]] : [];

const takenAt = (scene: Scene): string | null =>
  scene.acquiredAt &&
  `${dayYear(scene.acquiredAt)}, ${time(new Date(scene.acquiredAt).toISOString())}`;

const looksSaid = (looks: number | null | undefined): string | null =>
  looks ? `about ${number(looks, 1)}, from even ground` : null;

/** What a radar product says of itself. */
function productFacts(scene: Scene): Fact[] {
  const { detail } = scene;
  const { grid } = scene.info!;
  const orbit = detail.absoluteOrbit == null ? "" : `, orbit ${number(detail.absoluteOrbit)}`;
  const kept = detail.leftOut ? `, ${number(grid.width)} × ${number(grid.height)} kept` : "";
  const [near, far] = detail.incidenceDeg ?? [];
  const start = detail.start!;
  return [
    ["Kind", "Radar product, ground range detected"],
    ["Taken", `${start.slice(0, 10)}, ${start.slice(11, 23)} to ${detail.stop!.slice(11, 23)} UTC`],
    ["Mission", `${detail.mission}, mode ${detail.mode}${orbit}`],
    ["Pass", `${detail.pass}, looks ${detail.look}`],
    ["Polarisations", detail.polarisations!.join(", ")],
    [
      "Spacing",
      `${number(detail.sampleSpacingM!, 1)} m in range, ${number(detail.lineSpacingM!, 1)} m in azimuth`,
    ],
    ...fact(
      "Incidence",
      near === undefined || far === undefined ? null : `${number(near, 1)} to ${number(far, 1)}°`,
    ),
    ["Size", `${number(detail.samples!)} × ${number(detail.lines!)} cells${kept}`],
    ["Geometry", "sensor; Prepare puts it on the map"],
    ...fact("Looks", looksSaid(scene.looks?.[0])),
    ["File", scene.fileName],
    ["", bytes(scene.fileSize)],
  ];
}

function sunSaid({ sunElevationDeg: height, sunAzimuthDeg: azimuth }: Scene["detail"]) {
  if (height == null) {
    return null;
  }
  return `${number(height, 1)}° high${azimuth == null ? "" : `, azimuth ${number(azimuth, 0)}°`}`;
}

/** What the metadata of an optical scene say. */
function stackFacts(scene: Scene): Fact[] {
  const { detail } = scene;
  const { grid } = scene.info!;
  const cloud = detail.cloudCoverPercent;
  return [
    ["Kind", `Optical bands, level ${detail.level}`],
    ...fact("Taken", takenAt(scene)),
    ["Mission", `${detail.mission}${detail.sensor ? `, ${detail.sensor}` : ""}`],
    ...fact("Sun", sunSaid(detail)),
    ...fact("Cloud", cloud == null ? null : `${number(cloud, 0)} % by the metadata`),
    [
      "Size",
      `${number(grid.width)} × ${number(grid.height)} cells of ${number(Math.abs(grid.transform[1]), 0)} m`,
    ],
    ["Grid", grid.crs.name ?? grid.crs.code],
    ["Product", detail.product ?? ""],
    ["", bytes(scene.fileSize)],
  ];
}

/** Files that were read beside the one image of a scene. */
function besideOf({ fileName, detail: { parts = [] } }: Scene): string | null {
  const others = parts.filter(({ name }) => name !== fileName);
  return others.length < parts.length ? others.map(({ name }) => name).join(", ") || null : null;
}

/** What a single raster says. @param band the one that is shown */
function rasterFacts(scene: Scene, band: number): Fact[] {
  const { detail } = scene;
  const { grid } = scene.info!;
  const { items } = detail;
  const size = toldCellSize(grid);
  const cell = number(size, size < 1 ? 5 : 0);
  const unit = isGeographic(grid.crs) ? "°" : " m";
  const nodata = detail.nodata == null ? "" : `, nodata ${detail.nodata}`;
  return [
    ["Kind", KIND_NAMES[scene.kind] ?? scene.kind],
    ...fact("Taken", takenAt(scene)),
    ...fact("Mission", items?.MISSION),
    ...fact("Pass", items?.PASS),
    ...fact("Heights above", items?.VERTICAL),
    ["Size", `${number(grid.width)} × ${number(grid.height)} cells of ${cell}${unit}`],
    ["Grid", grid.crs.name ?? grid.crs.code],
    ...fact("Looks", looksSaid(scene.looks?.[band])),
    ["File", scene.fileName],
    ...fact("With", besideOf(scene)),
    ["", `${bytes(scene.fileSize)}, ${detail.sampleType ?? ""}${nodata}`],
  ];
}

/** Everything the file of a scene says of it. @param band the one that is shown */
export function factsOf(scene: Scene, band: number): Fact[] {
  switch (scene.detail.form) {
    case "product":
      return productFacts(scene);
    case "stack":
      return stackFacts(scene);
    default:
      return rasterFacts(scene, band);
  }
}
