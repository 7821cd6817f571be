import { createHash } from "node:crypto";
import { readFileSync, readdirSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { fromEcef } from "@hindglance/core/geodesy/ecef";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { outline } from "@hindglance/core/grid/grid";
import { cutGrid } from "@hindglance/core/grid/union";
import { utcText } from "@hindglance/core/radar/orbit";
import { RangeDoppler, type SensorModel } from "@hindglance/core/radar/sensor";
import { worldGrid } from "../ground";
import { PASSES, type RadarPass, announcedVectors, sensorOf, trueVectors } from "../mission";
import {
  FRAMED,
  absoluteOrbit,
  framesOf,
  orbitFile,
  productFile,
  thumbnailFile,
} from "../products";
import { productName } from "../safe";

export interface CatalogueAsset {
  file: string;
  type: string;
  roles: string[];
  title: string;
  bytes: number;
  sha256: string;
}
export interface CatalogueItem {
  collection: string;
  id: string;
  ring: [number, number][] | null;
  properties: Record<string, unknown>;
  assets: Record<string, CatalogueAsset>;
}
export const CATALOGUE = join("archive", "catalogue.json");
export const COLLECTIONS = [
  {
    id: "lantern1-grd",
    title: "LANTERN1 ground-range detected products",
    description: "C-band radar of the made-up mission LANTERN1, VV and VH.",
    keywords: ["SAR", "radar", "GRD"],
  },
  {
    id: "lantern1-orbits",
    title: "LANTERN1 precise orbits",
    description: "Orbit files of the made-up mission LANTERN1.",
    keywords: ["orbit"],
  },
  {
    id: "corvane-elevation",
    title: "Elevation of Corvane",
    description: "Heights of the made-up island above the ellipsoid, 10 m.",
    keywords: ["elevation", "DEM"],
  },
] as const;

/**
 * Lists what the archive's stand-in has: every product but the framed pass, its two frames, orbit
 * files, elevation tiles.
 */
export function writeCatalogue(folder: string): void {
  const island = worldGrid();
  const asset = (file: string, type: string, roles: string[], title: string): CatalogueAsset => ({
    file,
    type,
    roles,
    title,
    bytes: statSync(join(folder, file)).size,
    sha256: createHash("sha256")
      .update(readFileSync(join(folder, file)))
      .digest("hex"),
  });
  const items: CatalogueItem[] = [];
  const product = (
    pass: RadarPass,
    sensorModel: SensorModel,
    name: string,
    file: string,
    title: string,
  ) =>
    items.push({
      collection: "lantern1-grd",
      id: name,
      ring: ringOf(sensorModel),
      properties: {
        title,
        datetime: utcText(
          sensorModel.firstLineT + (sensorModel.lines / 2) * sensorModel.lineIntervalS,
        ),
        start_datetime: utcText(sensorModel.firstLineT),
        end_datetime: utcText(
          sensorModel.firstLineT + sensorModel.lines * sensorModel.lineIntervalS,
        ),
        platform: "lantern-1",
        "sar:instrument_mode": "IW",
        "sar:frequency_band": "C",
        "sar:polarizations": ["VV", "VH"],
        "sar:product_type": "GRD",
        "sat:orbit_state": pass.pass,
        "sat:absolute_orbit": absoluteOrbit(pass),
      },
      assets: {
        product: asset(file, "application/zip", ["data"], "Product"),
        thumbnail: asset(thumbnailFile(name), "image/png", ["thumbnail"], "Small picture"),
      },
    });
  for (const pass of PASSES) {
    const sensorModel = sensorOf(pass, announcedVectors(pass));
    const day = pass.time.slice(0, 10);
    if (pass === FRAMED) {
      framesOf(pass).forEach((fraction, k) =>
        product(
          pass,
          fraction.sensor,
          fraction.name,
          join("archive", `${fraction.name}.zip`),
          `LANTERN1, ${day}, frame ${k + 1}`,
        ),
      );
    } else {
      product(
        pass,
        sensorModel,
        productName(sensorModel, absoluteOrbit(pass)),
        productFile(pass),
        `LANTERN1, ${day}`,
      );
    }
    const orbit = orbitFile(pass);
    const stateVectors = trueVectors(pass, -290, 290);
    if (orbit) {
      items.push({
        collection: "lantern1-orbits",
        id: orbit.replace(".EOF", ""),
        ring: null,
        properties: {
          title: `Precise orbit of ${day}`,
          datetime: null,
          start_datetime: utcText(stateVectors[0]!.t),
          end_datetime: utcText(stateVectors.at(-1)!.t),
          platform: "lantern-1",
        },
        assets: { orbit: asset(orbit, "application/xml", ["data"], "Orbit file") },
      });
    }
  }
  for (const file of readdirSync(join(folder, "archive"))
    .filter((n) => /^corvane_elevation_\d\d\.tif$/.test(n))
    .sort()) {
    const [col, row] = [...file.replace(/\D/g, "")].map(Number) as [number, number];
    const grid = cutGrid(island, {
      col: col * 1000,
      row: row * 1000,
      width: Math.min(1000, island.width - col * 1000),
      height: Math.min(1000, island.height - row * 1000),
    });
    const pointTransform = transformer(grid.crs, LONLAT);
    items.push({
      collection: "corvane-elevation",
      id: file.replace(".tif", ""),
      ring: outline(grid, 1).map(([x, y]) => pointTransform(x, y)),
      properties: {
        title: `Elevation tile ${col + 1}-${row + 1}`,
        datetime: "2024-01-01T00:00:00Z",
        gsd: 10,
      },
      assets: {
        elevation: asset(
          join("archive", file),
          "image/tiff; application=geotiff; profile=cloud-optimized",
          ["data"],
          "Elevation",
        ),
      },
    });
  }
  writeFileSync(join(folder, CATALOGUE), JSON.stringify(items, null, 1));
}

function ringOf(sensorModel: SensorModel): [number, number][] {
  const rd = new RangeDoppler(sensorModel);
  const at = (level: number, s: number): [number, number] => {
    const [lon, lat] = fromEcef(rd.ground(level, s, 0));
    return [+lon.toFixed(6), +lat.toFixed(6)];
  };
  const a = at(0, 0);
  return [
    a,
    at(0, sensorModel.samples),
    at(sensorModel.lines, sensorModel.samples),
    at(sensorModel.lines, 0),
    a,
  ];
}
