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

/** Kilometres of the world that a place of a sheet shows. */
export function placeOn(sheet: Sheet, col: number, row: number): [number, number] {
  const a = (sheet.turnDeg * Math.PI) / 180;
  const across = ((col - sheet.width / 2) * sheet.metres[0]) / 1000;
  const value = ((row - sheet.height / 2) * sheet.metres[1]) / 1000;
  return [
    sheet.x + across * Math.cos(a) - value * Math.sin(a),
    sheet.y + across * Math.sin(a) + value * Math.cos(a),
  ];
}

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

/**
 * The drawn sheet (covers in pale ink, shores, contours every 40 m, a frame) and the grey scan, as
 * PNG.
 */
export function writeSheets(folder: string, ground: Ground): void {
  mkdirSync(folder, { recursive: true });
  const cellAt = (x: number, y: number) => {
    const c = Math.floor(x * 100);
    const r = Math.floor(y * 100);
    return c >= 0 && r >= 0 && c < WIDTH && r < HEIGHT ? r * WIDTH + c : -1;
  };
  const drawn: Sheet = SHEETS.drawn;
  const rgb = new Uint8Array(drawn.width * drawn.height * 3).fill(250);
  const scan: Sheet = SHEETS.scan;
  const grey = new Uint8Array(scan.width * scan.height).fill(255);
  for (let r = 12; r < drawn.height - 12; r++) {
    for (let c = 12; c < drawn.width - 12; c++) {
      const i = cellAt(...placeOn(drawn, c + 0.5, r + 0.5));
      const j = cellAt(...placeOn(drawn, c + 1.5, r + 0.5));
      const k = cellAt(...placeOn(drawn, c + 0.5, r + 1.5));
      const offset = (r * drawn.width + c) * 3;
      const rim = r === 12 || c === 12 || r === drawn.height - 13 || c === drawn.width - 13;
      if (i < 0 || j < 0 || k < 0) {
        continue;
      }
      const step = (n: number) => Math.floor(ground.elevation[n]! / 40);
      const wet = (n: number) => ground.cover[n] === COVER.water;
      let line: number[];
      if (wet(i) !== wet(j) || wet(i) !== wet(k)) {
        line = [40, 84, 112];
      } else if (step(i) !== step(j) || step(i) !== step(k)) {
        line = [186, 140, 96];
      } else if (ground.field[i] !== ground.field[j] && ground.cover[i] === COVER.crop) {
        line = [222, 210, 180];
      } else {
        line = INK[ground.cover[i]!]!;
      }
      rgb.set(rim ? [60, 50, 44] : line, offset);
    }
  }
  for (let r = 0; r < scan.height; r++) {
    for (let c = 0; c < scan.width; c++) {
      const i = cellAt(...placeOn(scan, c + 0.5, r + 0.5));
      if (i >= 0) {
        const [a, b, blue] = INK[ground.cover[i]!]!;
        grey[r * scan.width + c] = Math.max(
          0,
          Math.min(
            255,
            (ground.cover[i] === COVER.water ? 60 : (a + b + blue) / 3 - 30) +
              14 * noise(c / 3, r / 3, 5) -
              0.08 * ground.elevation[i]!,
          ),
        );
      }
    }
  }
  writeFileSync(
    join(folder, drawn.file),
    encode({ width: drawn.width, height: drawn.height, data: rgb, channels: 3 }),
  );
  writeFileSync(
    join(folder, scan.file),
    encode({ width: scan.width, height: scan.height, data: grey, channels: 1 }),
  );
}
