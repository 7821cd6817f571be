import { createWriteStream, mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { once } from "node:events";
import {
  BLOCK,
  type Grid,
  fullWindow,
  levelCount,
  levelGrid,
  northUp,
} from "@hindglance/core/grid/grid";
import { cutGrid } from "@hindglance/core/grid/union";
import { copyWindow } from "@hindglance/core/raster/block";
import { halveMean, halveMode } from "@hindglance/core/raster/pyramid";
import { MemoryFile } from "@hindglance/formats/memoryFile";
import { writeCog } from "@hindglance/formats/tiff/writeCog";
import { COVER, buildGround, type Ground } from "./ground";
import { writeProductsApart } from "./products";
import { AFTER, BEFORE, type Pass, imageOf } from "./radar";
import { writeCatalogue } from "./archive/catalogue";
import {
  HELIO_BANDS,
  SEVERITY_NAMES,
  fireSeverity,
  opticalGrid,
  severityOnGrid,
} from "./optical/ground";
import { writeGranule } from "./optical/granule";
import { writeGreenness } from "./optical/greenness";
import { DEMO_SCENES, type HelioScene, SCENES, helioTruth, writeHelio } from "./optical/helio";
import { peopleGrid, peopleOf, placesGeoJson, roadsGeoJson } from "./settlement";
import { writeSheets } from "./sheets";
import { FILES, elevationTile } from "./names";
import { thingsGeoJson } from "./islandThings";
import {
  LEGEND,
  areasGeoJson,
  basinAreaGeoJson,
  coverOnGrid,
  elsewhere,
  testAreas,
  trainingAreas,
} from "./landCover";
import { TRUTH_NAMES, truthOf } from "./truth";
import { districtsGeoJson, fireAreaGeoJson, studyAreaGeoJson } from "./vectors";

export const FACTOR = 2;

/** The grid of the finished radar images. */
export const imageGrid = (ground: Ground): Grid =>
  northUp(
    ground.grid.crs,
    ground.grid.transform[0],
    ground.grid.transform[3],
    20,
    20,
    ground.grid.width / FACTOR,
    ground.grid.height / FACTOR,
  );

/** Writes the demo files of the Ombrel flood into a folder, the same to the byte for one seed. */
export async function writeWorld(folder: string, seed: number): Promise<void> {
  mkdirSync(join(folder, "truth"), { recursive: true });
  // Products are simulated in processes of their own while the rest is made here.
  const products = writeProductsApart(folder, seed);
  const ground = buildGround(seed);
  const grid = imageGrid(ground);
  for (const [pass, file] of [
    [BEFORE, FILES.before],
    [AFTER, FILES.after],
  ] as [Pass, string][]) {
    await writeFloat(
      join(folder, file),
      grid,
      imageOf(ground, pass, grid, FACTOR),
      [{ name: "sigma0 VV" }, { name: "sigma0 VH" }],
      0,
      {
        ACQUIRED: pass.time,
        MISSION: "LANTERN1",
        PASS: "descending",
        DESCRIPTION: "Calibrated sigma nought, linear power, made-up data",
      },
    );
  }
  await writeFloat(
    join(folder, FILES.elevation),
    ground.grid,
    [ground.elevation],
    [{ name: "elevation", unit: "m" }],
    -9999,
    { KIND: "elevation", VERTICAL: "EGM96", DESCRIPTION: "Made-up terrain" },
  );
  await writeElevationTiles(folder, ground);
  const severity = fireSeverity(ground);
  for (const helioScene of DEMO_SCENES) {
    await writeHelio(join(folder, "optical"), ground, helioScene, severity);
  }
  for (const [name, scene] of Object.entries(SCENES).filter(
    ([k]) => k === "hazy" || k === "gapped",
  )) {
    await writeOpticalTruth(join(folder, "truth", `optical_${name}.tif`), ground, scene, severity);
  }
  await writeGranule(join(folder, "granule"), ground, severity);
  writeGreenness(join(folder, "greenness"), ground, severity);
  writeSheets(join(folder, "sheets"), ground);
  await writeClasses(
    join(folder, FILES.severity),
    opticalGrid(),
    severityOnGrid(severity),
    SEVERITY_NAMES,
    { 0: "#efece4", 1: "#f2d9b8", 2: "#e09f5a", 3: "#6e1f3a" },
  );
  await writeClasses(
    join(folder, FILES.truth),
    grid,
    truthOf(ground, FACTOR, grid.width, grid.height),
    TRUTH_NAMES,
    { 0: "#efece4", 1: "#c8246f", 2: "#33498c", 3: "#2a8f84", 4: "#b9562b", 5: "#c29a1b" },
  );
  await writeLandCover(folder, ground);
  await writeSettlement(folder, ground);
  writeFileSync(join(folder, FILES.things), JSON.stringify(thingsGeoJson(ground), null, 1));
  writeFileSync(join(folder, FILES.districts), JSON.stringify(districtsGeoJson(), null, 1));
  writeFileSync(join(folder, FILES.studyArea), JSON.stringify(studyAreaGeoJson(), null, 1));
  writeFileSync(join(folder, FILES.fireArea), JSON.stringify(fireAreaGeoJson(), null, 1));
  await products;
  writeCatalogue(folder);
}

/** Names and colours of the island's land cover, by its labels. */
const COVER_LOOKS: Record<number, [name: string, color: string]> = {
  [COVER.water]: ["Water", "#33498c"],
  [COVER.reed]: ["Reed bed", "#2a8f84"],
  [COVER.pasture]: ["Pasture", "#a9bf5f"],
  [COVER.crop]: ["Crop", "#e0b04f"],
  [COVER.heath]: ["Heath", "#a8739c"],
  [COVER.wood]: ["Wood", "#2f6b45"],
  [COVER.rock]: ["Rock", "#8d8a86"],
  [COVER.town]: ["Town", "#b9562b"],
  [COVER.airfield]: ["Airfield", "#6e1f3a"],
};

/** Who and what there is on the island: people, land cover, roads, and places that people depend on. */
async function writeSettlement(folder: string, ground: Ground): Promise<void> {
  const json = (file: string, value: object) =>
    writeFileSync(join(folder, file), JSON.stringify(value, null, 1));
  await writeFloat(
    join(folder, FILES.population),
    peopleGrid(),
    [peopleOf(ground)],
    [{ name: "population", unit: "people" }],
    -9999,
    { KIND: "population", DESCRIPTION: "People a cell, made up" },
  );
  const looks = (which: 0 | 1) =>
    Object.fromEntries(Object.entries(COVER_LOOKS).map(([label, look]) => [label, look[which]]));
  await writeClasses(
    join(folder, FILES.cover),
    ground.grid,
    ground.cover,
    { 0: "nothing", ...looks(0) },
    { 0: "#efece4", ...looks(1) },
  );
  json(FILES.roads, roadsGeoJson());
  json(FILES.places, placesGeoJson());
}

/** Land cover of the Quill Basin: the truth, what others made of it, and areas that are known. */
async function writeLandCover(folder: string, ground: Ground): Promise<void> {
  const json = (file: string, value: object) =>
    writeFileSync(join(folder, file), JSON.stringify(value, null, 1));
  const column = (what: "name" | "color") =>
    Object.fromEntries(LEGEND.map((one) => [one.cover, one[what]]));
  for (const [file, cover] of [
    [FILES.truthThen, ground.coverThen],
    [FILES.truthNow, ground.cover],
  ] as const) {
    const cells = coverOnGrid(cover);
    await writeClasses(join(folder, file), opticalGrid(), cells, column("name"), column("color"));
  }
  const { then, now } = elsewhere(ground);
  for (const [file, { grid, cells, names, palette }] of [
    [FILES.coverThen, then],
    [FILES.coverNow, now],
  ] as const) {
    await writeClasses(join(folder, file), grid, cells, names, palette);
  }
  json(FILES.basinArea, basinAreaGeoJson());
  json(FILES.training, areasGeoJson(trainingAreas(ground)));
  json(FILES.testAreas, areasGeoJson(testAreas(ground)));
}

/**
 * What a scene would show without air and sky, and what stands between: clean reflectance by band,
 * haze as optical depth, cloud, shadow, gaps.
 */
function writeOpticalTruth(
  path: string,
  ground: Ground,
  helioScene: HelioScene,
  severity: Uint8Array,
): Promise<void> {
  const t = helioTruth(ground, helioScene, severity);
  return writeFloat(
    path,
    opticalGrid(),
    [...t.clean, t.haze, t.cloud, t.shadow, Float32Array.from(t.gaps)],
    [
      ...HELIO_BANDS.map((b) => ({ name: `clean B${b.id}` })),
      { name: "haze" },
      { name: "cloud" },
      { name: "shadow" },
      { name: "gaps" },
    ],
    -1,
    { ACQUIRED: helioScene.date.time, DESCRIPTION: "Truth of a made-up scene" },
  );
}

/** Elevation as an archive hands it out: tiles of 10 km. */
const TILE_CELLS = 1000;
async function writeElevationTiles(folder: string, ground: Ground): Promise<void> {
  mkdirSync(join(folder, "archive"), { recursive: true });
  for (let row = 0; row * TILE_CELLS < ground.grid.height; row++) {
    for (let col = 0; col * TILE_CELLS < ground.grid.width; col++) {
      const w = {
        col: col * TILE_CELLS,
        row: row * TILE_CELLS,
        width: Math.min(TILE_CELLS, ground.grid.width - col * TILE_CELLS),
        height: Math.min(TILE_CELLS, ground.grid.height - row * TILE_CELLS),
      };
      const cells = new Float32Array(w.width * w.height);
      copyWindow(ground.elevation, fullWindow(ground.grid), cells, w);
      await writeFloat(
        join(folder, "archive", elevationTile(col, row)),
        cutGrid(ground.grid, w),
        [cells],
        [{ name: "elevation", unit: "m" }],
        -9999,
        { KIND: "elevation", VERTICAL: "EGM96", DESCRIPTION: "Made-up terrain" },
      );
    }
  }
}

async function toFile(
  path: string,
  write: (sink: (b: Uint8Array) => Promise<void>) => Promise<void>,
): Promise<void> {
  const out = createWriteStream(path);
  await write(async (b) => {
    if (!out.write(b)) {
      await once(out, "drain");
    }
  });
  out.end();
  await once(out, "finish");
}

/** Float image as a COG; `fill` stands for nodata. */
export async function writeFloat(
  path: string,
  grid: Grid,
  bands: Float32Array[],
  names: { name: string; unit?: string }[],
  fill: number,
  items: Record<string, string>,
): Promise<void> {
  const levels = [bands.map((band) => band.map((value) => (value === fill ? NaN : value)))];
  for (let level = 1; level < levelCount(grid.width, grid.height); level++) {
    const finer = levelGrid(grid, level - 1);
    const coarser = levelGrid(grid, level);
    levels.push(
      levels[level - 1]!.map((b) => {
        const out = new Float32Array(coarser.width * coarser.height);
        halveMean(b, finer.width, finer.height, out);
        return out;
      }),
    );
  }
  await toFile(path, (sink) =>
    writeCog(
      {
        grid,
        type: "float32",
        bands: names,
        nodata: fill,
        items,
        levels: levels.length,
        readBlock: async (level, row, col) =>
          levels[level]!.map((b) => cut(b, levelGrid(grid, level), row, col)),
      },
      new MemoryFile(),
      sink,
    ),
  );
}

async function writeClasses(
  path: string,
  grid: Grid,
  cells: Uint8Array,
  names: readonly string[] | Record<number, string>,
  palette: Record<number, string>,
): Promise<void> {
  const levels = [cells];
  for (let level = 1; level < levelCount(grid.width, grid.height); level++) {
    const finer = levelGrid(grid, level - 1);
    const coarser = levelGrid(grid, level);
    const out = new Uint8Array(coarser.width * coarser.height);
    halveMode(levels[level - 1]!, finer.width, finer.height, out);
    levels.push(out);
  }
  await toFile(path, (sink) =>
    writeCog(
      {
        grid,
        type: "uint8",
        bands: [{ name: "classes" }],
        nodata: 255,
        palette,
        items: {
          LEGEND: Object.entries(names)
            .map(([k, value]) => `${k}=${value}`)
            .join("; "),
        },
        levels: levels.length,
        readBlock: async (level, row, col) => [
          cut(levels[level]!, levelGrid(grid, level), row, col),
        ],
      },
      new MemoryFile(),
      sink,
    ),
  );
}

function cut(
  b: Float32Array | Uint8Array,
  grid: Grid,
  row: number,
  col: number,
): Float32Array | Uint8Array {
  const w = Math.min(BLOCK, grid.width - col * BLOCK);
  const h = Math.min(BLOCK, grid.height - row * BLOCK);
  const out = b instanceof Float32Array ? new Float32Array(w * h) : new Uint8Array(w * h);
  for (let r = 0; r < h; r++) {
    const offset = (row * BLOCK + r) * grid.width + col * BLOCK;
    out.set(b.subarray(offset, offset + w), r * w);
  }
  return out;
}
