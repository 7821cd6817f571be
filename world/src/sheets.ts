import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { encode } from "fast-png";
import { COVER, type Ground, HEIGHT, WIDTH } from "./ground";
import { noise } from "./random";

/**
 * A picture of the plain without position: size in cells, its middle in kilometres of the world,
 * metres a cell along and across, and how it is turned.
 */
export interface Sheet {
  file: string;
  width: number;
  height: number;
  x: number;
  y: number;
  metres: [number, number];
  turnDeg: number;
}
export const SHEETS = {
  drawn: {
    file: "old_sheet_of_the_plain.png",
    width: 900,
    height: 640,
    x: 13.4,
    y: 10.3,
    metres: [12, 12.3],
    turnDeg: 3.4,
  },
  scan: {
    file: "scan_of_the_plain.png",
    width: 760,
    height: 560,
    x: 13.3,
    y: 10.4,
    metres: [14, 14],
    turnDeg: -2.1,
  },
} as const satisfies Record<string, Sheet>;

/** Tells of every place of a sheet which kilometres of the world it shows. */
function placesOn(sheet: Sheet): (col: number, row: number) => [number, number] {
  const angle = (sheet.turnDeg * Math.PI) / 180;
  const cosine = Math.cos(angle);
  const sine = Math.sin(angle);
  return (col, row) => {
    const across = ((col - sheet.width / 2) * sheet.metres[0]) / 1000;
    const down = ((row - sheet.height / 2) * sheet.metres[1]) / 1000;
    return [sheet.x + across * cosine - down * sine, sheet.y + across * sine + down * cosine];
  };
}

/** Kilometres of the world that a place of a sheet shows. */
export const placeOn = (sheet: Sheet, col: number, row: number): [number, number] =>
  placesOn(sheet)(col, row);

const FRAME = [60, 50, 44];
const INK: Record<number, [number, number, number]> = {
  [COVER.water]: [168, 201, 214],
  [COVER.reed]: [205, 222, 190],
  [COVER.pasture]: [240, 238, 214],
  [COVER.crop]: [246, 240, 222],
  [COVER.heath]: [228, 216, 190],
  [COVER.wood]: [190, 210, 168],
  [COVER.rock]: [214, 206, 196],
  [COVER.town]: [206, 150, 132],
  [COVER.airfield]: [224, 220, 214],
};

/** The cell of the ground below a place given in kilometres; −1 beyond it. */
function cellAt([x, y]: [number, number]): number {
  const c = Math.floor(x * 100);
  const r = Math.floor(y * 100);
  return c >= 0 && r >= 0 && c < WIDTH && r < HEIGHT ? r * WIDTH + c : -1;
}

/** Ink between a cell and its neighbours to the right and below: shore, contour, hedge, or cover. */
function inkAt(ground: Ground, own: number, right: number, below: number): readonly number[] {
  const differs = (of: (cell: number) => number | boolean) =>
    of(own) !== of(right) || of(own) !== of(below);
  if (differs((cell) => ground.cover[cell] === COVER.water)) {
    return [40, 84, 112];
  }
  if (differs((cell) => Math.floor(ground.elevation[cell]! / 40))) {
    return [186, 140, 96];
  }
  if (ground.field[own] !== ground.field[right] && ground.cover[own] === COVER.crop) {
    return [222, 210, 180];
  }
  return INK[ground.cover[own]!]!;
}

/** White paper around the map of the drawn sheet, in cells. */
const RIM = 12;

/** The drawn sheet, three bytes a cell. */
function draw(sheet: Sheet, ground: Ground): Uint8Array {
  const { width, height } = sheet;
  const rgb = new Uint8Array(width * height * 3).fill(250);
  const placeAt = placesOn(sheet);
  for (let r = RIM; r < height - RIM; r++) {
    for (let c = RIM; c < width - RIM; c++) {
      const own = cellAt(placeAt(c + 0.5, r + 0.5));
      const right = cellAt(placeAt(c + 1.5, r + 0.5));
      const below = cellAt(placeAt(c + 0.5, r + 1.5));
      if (own < 0 || right < 0 || below < 0) {
        continue;
      }
      const framed = r === RIM || c === RIM || r === height - RIM - 1 || c === width - RIM - 1;
      rgb.set(framed ? FRAME : inkAt(ground, own, right, below), (r * width + c) * 3);
    }
  }
  return rgb;
}

/** The grey scan, a byte a cell: covers in greys with grain, darker uphill. */
function scanned(sheet: Sheet, ground: Ground): Uint8Array {
  const grey = new Uint8Array(sheet.width * sheet.height).fill(255);
  const placeAt = placesOn(sheet);
  for (let r = 0; r < sheet.height; r++) {
    for (let c = 0; c < sheet.width; c++) {
      const i = cellAt(placeAt(c + 0.5, r + 0.5));
      if (i >= 0) {
        const [red, green, blue] = INK[ground.cover[i]!]!;
        const tone = ground.cover[i] === COVER.water ? 60 : (red + green + blue) / 3 - 30;
        const light = tone + 14 * noise(c / 3, r / 3, 5) - 0.08 * ground.elevation[i]!;
        grey[r * sheet.width + c] = Math.max(0, Math.min(255, light));
      }
    }
  }
  return grey;
}

/**
 * The drawn sheet (covers in pale ink, shores, contours every 40 m, a frame) and the grey scan, as
 * PNG.
 */
export function writeSheets(folder: string, ground: Ground): void {
  mkdirSync(folder, { recursive: true });
  const save = ({ file, width, height }: Sheet, data: Uint8Array, channels: 1 | 3) =>
    writeFileSync(join(folder, file), encode({ width, height, data, channels }));
  save(SHEETS.drawn, draw(SHEETS.drawn, ground), 3);
  save(SHEETS.scan, scanned(SHEETS.scan, ground), 1);
}
