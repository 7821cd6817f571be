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

/** A file of an item. */
export interface CatalogueAsset {
  file: string;
  type: string;
  roles: string[];
  title: string;
  bytes: number;
  sha256: string;
}

/** One thing that the archive has. */
export interface CatalogueItem {
  collection: string;
  id: string;
  ring: [number, number][] | null;
  properties: Record<string, unknown>;
  assets: Record<string, CatalogueAsset>;
}

/** Where the list stands in the folder of the archive. */
export const CATALOGUE = join("archive", "catalogue.json");
/** What the archive has items of. */
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
    description: "Heights of the made-up island above the sea (EGM96), 10 m.",
    keywords: ["elevation", "DEM"],
  },
] as const;

const ID = { products: "lantern1-grd", orbits: "lantern1-orbits", elevation: "corvane-elevation" };
const PLATFORM = "lantern-1";
const COG = "image/tiff; application=geotiff; profile=cloud-optimized";
/** Cells of an elevation tile a side. */
const TILE = 1000;

/** Describes files of a folder with their lengths and checksums. */
const assetsIn =
  (folder: string) =>
  (file: string, type: string, role: string, title: string): CatalogueAsset => ({
    file,
    type,
    roles: [role],
    title,
    bytes: statSync(join(folder, file)).size,
    sha256: createHash("sha256")
      .update(readFileSync(join(folder, file)))
      .digest("hex"),
  });
type AssetOf = ReturnType<typeof assetsIn>;

/** A product of a pass: what the archive lists of it. */
interface Listed {
  pass: RadarPass;
  sensor: SensorModel;
  name: string;
  file: string;
  title: string;
}

/** Products of a pass: its frames where it is cut into some. */
function productsOf(pass: RadarPass): Listed[] {
  const day = pass.time.slice(0, 10);
  if (pass === FRAMED) {
    return framesOf(pass).map(({ sensor, name }, k) => ({
      pass,
      sensor,
      name,
      file: join("archive", `${name}.zip`),
      title: `LANTERN1, ${day}, frame ${k + 1}`,
    }));
  }
  const sensor = sensorOf(pass, announcedVectors(pass));
  const name = productName(sensor, absoluteOrbit(pass));
  return [{ pass, sensor, name, file: productFile(pass), title: `LANTERN1, ${day}` }];
}

function productItem({ pass, sensor, name, file, title }: Listed, assetOf: AssetOf): CatalogueItem {
  const timeOf = (line: number) => utcText(sensor.firstLineT + line * sensor.lineIntervalS);
  return {
    collection: ID.products,
    id: name,
    ring: ringOf(sensor),
    properties: {
      title,
      datetime: timeOf(sensor.lines / 2),
      start_datetime: timeOf(0),
      end_datetime: timeOf(sensor.lines),
      platform: PLATFORM,
      "sar:instrument_mode": "IW",
      "sar:frequency_band": "C",
      "sar:polarizations": ["VV", "VH"],
      "sar:product_type": "GRD",
      "sat:orbit_state": pass.pass,
      "sat:absolute_orbit": absoluteOrbit(pass),
    },
    assets: {
      product: assetOf(file, "application/zip", "data", "Product"),
      thumbnail: assetOf(thumbnailFile(name), "image/png", "thumbnail", "Small picture"),
    },
  };
}

/** The orbit file of a pass, where it has one. */
function orbitItems(pass: RadarPass, assetOf: AssetOf): CatalogueItem[] {
  const file = orbitFile(pass);
  if (!file) {
    return [];
  }
  const vectors = trueVectors(pass, -290, 290);
  return [
    {
      collection: ID.orbits,
      id: file.replace(".EOF", ""),
      ring: null,
      properties: {
        title: `Precise orbit of ${pass.time.slice(0, 10)}`,
        datetime: null,
        start_datetime: utcText(vectors[0]!.t),
        end_datetime: utcText(vectors.at(-1)!.t),
        platform: PLATFORM,
      },
      assets: { orbit: assetOf(file, "application/xml", "data", "Orbit file") },
    },
  ];
}

/** A tile of elevation, named by its column and row of tiles. */
function elevationItem(file: string, assetOf: AssetOf): CatalogueItem {
  const island = worldGrid();
  const [col = 0, row = 0] = [...file.replace(/\D/g, "")].map(Number);
  const grid = cutGrid(island, {
    col: col * TILE,
    row: row * TILE,
    width: Math.min(TILE, island.width - col * TILE),
    height: Math.min(TILE, island.height - row * TILE),
  });
  const toLonLat = transformer(grid.crs, LONLAT);
  return {
    collection: ID.elevation,
    id: file.replace(".tif", ""),
    ring: outline(grid, 1).map(([x, y]) => toLonLat(x, y)),
    properties: {
      title: `Elevation tile ${col + 1}-${row + 1}`,
      datetime: "2024-01-01T00:00:00Z",
      gsd: 10,
    },
    assets: { elevation: assetOf(join("archive", file), COG, "data", "Elevation") },
  };
}

/**
 * Lists what the archive's stand-in has: every product but the framed pass, its two frames, orbit
 * files, elevation tiles.
 */
export function writeCatalogue(folder: string): void {
  const assetOf = assetsIn(folder);
  const tiles = readdirSync(join(folder, "archive"))
    .filter((name) => /^corvane_elevation_\d\d\.tif$/.test(name))
    .sort();
  const items: CatalogueItem[] = [
    ...PASSES.flatMap((pass) => [
      ...productsOf(pass).map((product) => productItem(product, assetOf)),
      ...orbitItems(pass, assetOf),
    ]),
    ...tiles.map((file) => elevationItem(file, assetOf)),
  ];
  writeFileSync(join(folder, CATALOGUE), JSON.stringify(items, null, 1));
}

/** Corners of a product on the ground, closed; lon/lat. */
function ringOf(sensor: SensorModel): [number, number][] {
  const geometry = new RangeDoppler(sensor);
  const corners = [
    [0, 0],
    [0, sensor.samples],
    [sensor.lines, sensor.samples],
    [sensor.lines, 0],
    [0, 0],
  ] as const;
  return corners.map(([line, sample]) => {
    const [lon, lat] = fromEcef(geometry.ground(line, sample, 0));
    return [+lon.toFixed(6), +lat.toFixed(6)];
  });
}
