import { createWriteStream, mkdirSync, writeFileSync } from "node:fs";
import { once } from "node:events";
import { join } from "node:path";
import type { Grid } from "@hindglance/core/grid/grid";
import { cutGrid } from "@hindglance/core/grid/union";
import { COVER, type Ground, HEIGHT, WIDTH } from "../ground";
import { plainTiffHeader } from "../plainTiff";
import { generator } from "../random";
import { TONES, USUAL_CLOUDS, cloudCover, hazeBanks, scanGaps } from "./sky";
import {
  DATES,
  HELIO_BANDS,
  type OpticalDate,
  PER,
  cleanReflectance,
  coverOn,
  fireSeverity,
  opticalGrid,
} from "./ground";

/**
 * Path reflectance of a clear day by band, and what each unit of haze adds; share of light that
 * comes through.
 */
const PATH = [0.088, 0.067, 0.038, 0.021, 0.009, 0.003, 0.001];
const HAZE_PATH = [0.9, 0.8, 0.62, 0.48, 0.3, 0.12, 0.06];
const THROUGH = [0.82, 0.86, 0.9, 0.93, 0.955, 0.97, 0.975];
/** Gain and offset of digital numbers, as the metadata text gives them. */
export const GAIN = 2e-5;
export const OFFSET = -0.1;
const NOISE = 0.0008;

/** Reflectance at the top of the atmosphere over clean ground. */
export const throughAir = (clean: number, band: number, air: number): number =>
  PATH[band]! + air * HAZE_PATH[band]! + clean * THROUGH[band]! * (1 - 0.35 * air);

/** One scene as it is delivered: a date, and what went wrong with it. */
export interface HelioScene {
  date: OpticalDate;
  haze?: boolean;
  /** Clouds without haze: how many, and how large against the usual ones. */
  clouds?: { count: number; size: number };
  gaps?: boolean;
  moved?: boolean;
  frame?: keyof typeof TONES;
}
export const SCENES = {
  old: { date: DATES.old },
  before: { date: DATES.before },
  after: { date: DATES.after },
  gapped: { date: DATES.gapped, gaps: true },
  hazy: { date: DATES.hazy, haze: true },
  moved: { date: DATES.moved, moved: true },
  west: { date: DATES.framed, frame: "west" },
  east: { date: DATES.framed, frame: "east" },
  flooded: { date: DATES.flooded, clouds: { count: 16, size: 1.7 } },
} satisfies Record<string, HelioScene>;

/** Name of an optical scene, with its frame where there are two. */
export const helioName = ({ date, frame }: HelioScene): string =>
  `HELIO2_L1_${date.time.slice(0, 10).replace(/-/g, "")}${frame ? `_${frame.toUpperCase()}` : ""}`;

/** Files of an optical scene: bands, quality, metadata text. */
export const helioFiles = (helioScene: HelioScene): string[] => [
  ...HELIO_BANDS.map((b) => `${helioName(helioScene)}_B${b.id}.TIF`),
  `${helioName(helioScene)}_QA_PIXEL.TIF`,
  `${helioName(helioScene)}_MTL.txt`,
];

/** Columns of the whole grid that a scene's files hold. */
export function columnsOf(helioScene: HelioScene): { from: number; to: number } {
  const { width } = opticalGrid();
  const t = helioScene.frame ? TONES[helioScene.frame] : { from: 0, to: 1 };
  return { from: Math.round(t.from * width), to: Math.round(t.to * width) };
}
/**
 * Turned by 0.05° about the middle of the scene and moved by 1.7 cells: which 10 m cell a cell
 * shows.
 */
export const SHIFT_CELLS: [number, number] = [1.5, -0.8];
export const TURN_DEG = 0.05;
function movedCell(c: number, r: number): [number, number] {
  const a = (TURN_DEG * Math.PI) / 180;
  const x = c - WIDTH / 2;
  const y = r - HEIGHT / 2;
  const at = (value: number, max: number) => Math.max(0, Math.min(max - 1, Math.round(value)));
  return [
    at(WIDTH / 2 + x * Math.cos(a) - y * Math.sin(a) + SHIFT_CELLS[0] * PER, WIDTH),
    at(HEIGHT / 2 + x * Math.sin(a) + y * Math.cos(a) + SHIFT_CELLS[1] * PER, HEIGHT),
  ];
}

const CLOUD = [0.62, 0.62, 0.61, 0.62, 0.6, 0.42, 0.3];
/**
 * What a scene is made of, over the whole grid: clean ground, reflectance at the top of the
 * atmosphere, and everything that stands between.
 */
export interface HelioTruth {
  clean: Float32Array[];
  toa: Float32Array[];
  haze: Float32Array;
  cloud: Float32Array;
  shadow: Float32Array;
  gaps: Uint8Array;
}

/** What an optical scene shows without error: reflectance, cloud, haze, gaps. */
export function helioTruth(
  ground: Ground,
  helioScene: HelioScene,
  severity = fireSeverity(ground),
): HelioTruth {
  const { date } = helioScene;
  const grid = opticalGrid();
  const n = grid.width * grid.height;
  const clean = cleanReflectance(ground, date, severity, helioScene.moved ? movedCell : undefined);
  const haze = helioScene.haze ? hazeBanks(date.seed) : new Float32Array(n);
  const clouds = helioScene.haze ? USUAL_CLOUDS : helioScene.clouds;
  const { cloud, shadow } = clouds
    ? cloudCover(date.seed, date, clouds)
    : { cloud: new Float32Array(n), shadow: new Float32Array(n) };
  const tone = helioScene.frame ? TONES[helioScene.frame] : null;
  const light = new Float32Array(n).fill(1);
  if (tone) {
    for (let i = 0; i < n; i++) {
      light[i] = tone.light(
        (((i % grid.width) + 0.5) * PER) / 100,
        ((Math.floor(i / grid.width) + 0.5) * PER) / 100,
      );
    }
  }
  const toa = clean.map((b, k) =>
    b.map((value, i) => {
      const air = throughAir(value * (1 - shadow[i]!), k, date.air + haze[i]!);
      const seen = air * (1 - cloud[i]!) + CLOUD[k]! * cloud[i]!;
      return tone ? seen * light[i]! * tone.gain + tone.offset : seen;
    }),
  );
  return {
    clean,
    toa,
    haze,
    cloud,
    shadow,
    gaps: helioScene.gaps ? scanGaps() : new Uint8Array(n),
  };
}

/** The number that a file holds for a reflectance, with the instrument's noise. @param sun sine of its elevation */
export function noisyNumber(reflectance: number, sun: number, random: () => number): number {
  const seen = reflectance + NOISE * (random() + random() - 1);
  return Math.max(1, Math.min(65535, Math.round((seen * sun - OFFSET) / GAIN)));
}

/**
 * Writes one scene: a file a band, quality bits, and the metadata text. Cells outside the frame and
 * in scan gaps hold 0 and are fill in the quality band.
 */
export async function writeHelio(
  folder: string,
  ground: Ground,
  helioScene: HelioScene,
  severity?: Uint8Array,
): Promise<void> {
  mkdirSync(folder, { recursive: true });
  const { date } = helioScene;
  const whole = opticalGrid();
  const { from, to } = columnsOf(helioScene);
  const grid = cutGrid(whole, { col: from, row: 0, width: to - from, height: whole.height });
  const n = grid.width * grid.height;
  const truth = helioTruth(ground, helioScene, severity);
  const sun = Math.sin((date.sunElevationDeg * Math.PI) / 180);
  const random = generator(date.seed + from);
  // The frame is a little turned: its corners are fill.
  const inside = (i: number) => {
    const c = i % grid.width;
    const r = Math.floor(i / grid.width);
    const a = (date.seed % 3) * 4;
    return c > 14 + a - 0.02 * r && c < grid.width - 8 - 0.018 * r + a;
  };
  const at = (i: number) => Math.floor(i / grid.width) * whole.width + from + (i % grid.width);
  const seen = (i: number) => inside(i) && !truth.gaps[at(i)];
  for (const [b, band] of HELIO_BANDS.entries()) {
    const dn = new Uint16Array(n);
    for (let i = 0; i < n; i++) {
      if (seen(i)) {
        dn[i] = noisyNumber(truth.toa[b]![at(i)]!, sun, random);
      }
    }
    await writeBand(join(folder, `${helioName(helioScene)}_B${band.id}.TIF`), dn, grid);
  }
  const quality = new Uint16Array(n);
  const cover = coverOn(ground, date);
  const isWater = (i: number) =>
    cover[i] === COVER.water || (date.flood === true && ground.waterAfter[i] === 1);
  // Bit 0 fill, 1 rim of cloud, 3 cloud, 4 shadow, 6 clear, 7 water.
  for (let i = 0; i < n; i++) {
    const k = at(i);
    const c = k % whole.width;
    const r = Math.floor(k / whole.width);
    const cloud = truth.cloud[k]! > 0.4;
    const rim = truth.cloud[k]! > 0.02;
    const shadow = truth.shadow[k]! > 0.12;
    quality[i] = seen(i)
      ? (cloud ? 8 : 0) |
        (rim && !cloud ? 2 : 0) |
        (shadow && !rim ? 16 : 0) |
        (!rim && !shadow ? 64 : 0) |
        (isWater((r * PER + 1) * WIDTH + c * PER + 1) ? 128 : 0)
      : 1;
  }
  await writeBand(join(folder, `${helioName(helioScene)}_QA_PIXEL.TIF`), quality, grid);
  const clouded = truth.cloud.reduce((a, value) => a + value, 0) / truth.cloud.length;
  writeFileSync(
    join(folder, `${helioName(helioScene)}_MTL.txt`),
    metadata(helioScene, clouded * 100),
  );
}

async function writeBand(path: string, cells: Uint16Array, grid: Grid): Promise<void> {
  const out = createWriteStream(path);
  out.write(
    plainTiffHeader({
      width: grid.width,
      height: grid.height,
      bits: 16,
      float: false,
      extra: [
        [33550, 12, [grid.transform[1], -grid.transform[5], 0]],
        [33922, 12, [0, 0, 0, grid.transform[0], grid.transform[3], 0]],
        [
          34735,
          3,
          [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, Number(grid.crs.code.slice(5))],
        ],
      ],
    }),
  );
  out.end(new Uint8Array(cells.buffer));
  await once(out, "finish");
}

/** Metadata text of an optical scene. */
export function metadata(helioScene: HelioScene, cloudPercent: number): string {
  const rows = (file: (id: string) => string) =>
    HELIO_BANDS.map((b) => `    ${file(b.id)}`).join("\n");
  const date = helioScene.date;
  const name = helioName(helioScene);
  return `GROUP = LANDSAT_METADATA_FILE
  GROUP = PRODUCT_CONTENTS
    LANDSAT_PRODUCT_ID = "${name}"
    PROCESSING_LEVEL = "L1TP"
${rows((b) => `FILE_NAME_BAND_${b} = "${name}_B${b}.TIF"`)}
    FILE_NAME_QUALITY_L1_PIXEL = "${name}_QA_PIXEL.TIF"
  END_GROUP = PRODUCT_CONTENTS
  GROUP = IMAGE_ATTRIBUTES
    SPACECRAFT_ID = "HELIO_2"
    SENSOR_ID = "HLI"
    DATE_ACQUIRED = ${date.time.slice(0, 10)}
    SCENE_CENTER_TIME = "${date.time.slice(11, 19)}.0000000Z"
    CLOUD_COVER = ${cloudPercent.toFixed(2)}
    SUN_AZIMUTH = ${date.sunAzimuthDeg.toFixed(8)}
    SUN_ELEVATION = ${date.sunElevationDeg.toFixed(8)}
  END_GROUP = IMAGE_ATTRIBUTES
  GROUP = LEVEL1_RADIOMETRIC_RESCALING
${rows((b) => `REFLECTANCE_MULT_BAND_${b} = ${GAIN.toExponential(4).toUpperCase()}`)}
${rows((b) => `REFLECTANCE_ADD_BAND_${b} = ${OFFSET.toFixed(6)}`)}
  END_GROUP = LEVEL1_RADIOMETRIC_RESCALING
END_GROUP = LANDSAT_METADATA_FILE
END
`;
}

/** The scenes that stand in the demo's folder. */
export const DEMO_SCENES: readonly HelioScene[] = Object.values(SCENES);

/** Those of the study of the fire. */
export const FIRE_SCENES = DEMO_SCENES.filter(({ date }) => !date.flood);
