import { mkdirSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { cutGrid } from "@hindglance/core/grid/union";
import { granuleXml } from "@hindglance/formats/testing/buildGranule";
import { buildJp2 } from "@hindglance/formats/testing/buildJp2";
import { COVER, type Ground, WIDTH, worldGrid } from "../ground";
import { generator } from "../random";
import { DATES, spectrumAt } from "./ground";

/** The part of the world that the granule shows, in 10 m cells. */
export const GRANULE = { col: 1150, row: 0, width: 1200, height: 1000 } as const;
export const GRANULE_NAME = "HEL_MSIL2A_20250227T132441_N0511_R038_T27GXY_20250227T161502";
const QUANTITY = 10_000;
const OFFSET = -1000;
/** Bands by their cells, and which of the seven bands of the ground they see. */
const BANDS = [
  { id: "B02", cellM: 10, from: 1, nm: 492.4 },
  { id: "B03", cellM: 10, from: 2, nm: 559.8 },
  { id: "B04", cellM: 10, from: 3, nm: 664.6 },
  { id: "B08", cellM: 10, from: 4, nm: 832.8 },
  { id: "B8A", cellM: 20, from: 4, nm: 864.7 },
  { id: "B11", cellM: 20, from: 5, nm: 1613.7 },
  { id: "B12", cellM: 20, from: 6, nm: 2202.4 },
] as const;

/** Clean reflectance of a band of the granule on its own cells. */
export function granuleTruth(ground: Ground, severity: Uint8Array): Map<string, Float32Array> {
  const { col, row, width, height } = GRANULE;
  const s = new Float64Array(7);
  const out = new Map(
    BANDS.map((b) => [b.id as string, new Float32Array((width * height * 100) / b.cellM ** 2)]),
  );
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      spectrumAt(ground, DATES.granule, severity, col + c, row + r, s);
      for (const b of BANDS) {
        const k = b.cellM / 10;
        out.get(b.id)![Math.floor(r / k) * (width / k) + Math.floor(c / k)]! +=
          s[b.from]! / (k * k);
      }
    }
  }
  return out;
}

/**
 * A level 2A granule after the fire: one JPEG 2000 file a band at 10 and 20 m, a scene
 * classification, and the metadata by the public specification.
 */
export async function writeGranule(
  folder: string,
  ground: Ground,
  severity: Uint8Array,
): Promise<void> {
  const root = join(folder, `${GRANULE_NAME}.SAFE`);
  const tile = `GRANULE/L2A_T27GXY_A050120_20250227T132441`;
  const truth = granuleTruth(ground, severity);
  const random = generator(2027);
  const { col, row, width, height } = GRANULE;
  const put = (path: string, bytes: Uint8Array | string) => {
    mkdirSync(dirname(join(root, path)), { recursive: true });
    writeFileSync(join(root, path), bytes);
  };
  for (const b of BANDS) {
    const k = b.cellM / 10;
    const cells = Uint16Array.from(truth.get(b.id)!, (value) =>
      Math.max(1, Math.round((value + 0.0006 * (random() + random() - 1)) * QUANTITY - OFFSET)),
    );
    put(
      `${tile}/IMG_DATA/R${b.cellM}m/T27GXY_20250227T132441_${b.id}_${b.cellM}m.jp2`,
      await buildJp2({ width: width / k, height: height / k, bits: 16, tile: 512, cells: [cells] }),
    );
  }
  const scl = new Uint16Array((width / 2) * (height / 2));
  for (let r = 0; r < height / 2; r++) {
    for (let c = 0; c < width / 2; c++) {
      const i = (row + 2 * r) * WIDTH + col + 2 * c;
      scl[r * (width / 2) + c] = sceneClass(ground.cover[i]!, severity[i]!);
    }
  }
  put(
    `${tile}/IMG_DATA/R20m/T27GXY_20250227T132441_SCL_20m.jp2`,
    await buildJp2({ width: width / 2, height: height / 2, bits: 8, tile: 512, cells: [scl] }),
  );
  const grid = cutGrid(worldGrid(), GRANULE);
  const granule = DATES.granule;
  const xml = granuleXml({
    level: "2A",
    name: GRANULE_NAME,
    time: granule.time,
    mission: "HELIO-3",
    baseline: "05.11",
    quantity: QUANTITY,
    offset: OFFSET,
    epsg: Number(grid.crs.code.slice(5)),
    ulx: grid.transform[0],
    uly: grid.transform[3],
    width,
    height,
    sunZenithDeg: 90 - granule.sunElevationDeg,
    sunAzimuthDeg: granule.sunAzimuthDeg,
    bands: BANDS,
  });
  put(`${tile}/MTD_TL.xml`, xml.tile);
  put("MTD_MSIL2A.xml", xml.product);
  put(
    "manifest.safe",
    `<?xml version="1.0" encoding="UTF-8"?>\n<XFDU><dataObjectSection/></XFDU>\n`,
  );
}

/** The class of the product's scene classification: 4 vegetation, 5 bare, 6 water. */
function sceneClass(cover: number, severity: number): 4 | 5 | 6 {
  if (cover === COVER.water) {
    return 6;
  }
  const bare = cover === COVER.rock || cover === COVER.town || cover === COVER.airfield;
  return bare || severity >= 2 ? 5 : 4;
}
