import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { decode } from "fast-png";
import { COVER, type Ground, HEIGHT, WIDTH, worldGrid } from "./ground";
import { SHEETS, type Sheet, placeOn, writeSheets } from "./sheets";

/** Pasture in the west, water from 13.4 km east on, rising 40 m every 2 km to the north. */
function plainGround(): Ground {
  const cells = WIDTH * HEIGHT;
  const cover = new Uint8Array(cells).fill(COVER.pasture);
  const elevation = new Float32Array(cells);
  for (let r = 0; r < HEIGHT; r++) {
    cover.fill(COVER.water, r * WIDTH + 1340, (r + 1) * WIDTH);
    elevation.fill(40 * Math.floor((HEIGHT - r) / 200) + 20, r * WIDTH, (r + 1) * WIDTH);
  }
  return {
    grid: worldGrid(),
    elevation,
    cover,
    coverThen: cover,
    field: new Int32Array(cells),
    waterAfter: new Uint8Array(cells),
  };
}

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "hind-glance-sheets-"));
  writeSheets(folder, plainGround());
});
afterAll(() => rmSync(folder, { recursive: true }));
const picture = ({ file }: Sheet) => decode(readFileSync(join(folder, file)));

describe("places on a sheet", () => {
  const sheet: Sheet = {
    file: "",
    width: 100,
    height: 80,
    x: 10,
    y: 20,
    metres: [10, 20],
    turnDeg: 0,
  };

  test("its middle is where it is said to be; cells are as large as they are said to be", () => {
    expect(placeOn(sheet, 50, 40)).toEqual([10, 20]);
    expect(placeOn(sheet, 150, 40)).toEqual([11, 20]);
    expect(placeOn(sheet, 50, 90)).toEqual([10, 21]);
  });

  test("turned by a quarter, what lay to the right lies below", () => {
    const [x, y] = placeOn({ ...sheet, turnDeg: 90 }, 150, 40);
    expect([x, y]).toEqual([expect.closeTo(10, 9), expect.closeTo(21, 9)]);
  });
});

describe("the drawn sheet", () => {
  const sheet = SHEETS.drawn;
  const colourAt = (png: ReturnType<typeof picture>, col: number, row: number) =>
    [0, 1, 2].map((k) => png.data[(row * png.width + col) * 3 + k]);

  test("has the size that is said, white paper around and a frame", () => {
    const png = picture(sheet);
    expect([png.width, png.height, png.channels]).toEqual([900, 640, 3]);
    expect(colourAt(png, 3, 3)).toEqual([250, 250, 250]);
    expect(colourAt(png, 12, 300)).toEqual([60, 50, 44]);
  });

  test("shows pasture and water in their inks on their own sides of the shore", () => {
    const png = picture(sheet);
    const inks = new Map<string, Set<string>>();
    let checked = 0;
    for (let row = 20; row < 620; row += 7) {
      for (let col = 20; col < 880; col += 7) {
        const [x] = placeOn(sheet, col + 0.5, row + 0.5);
        const ink = colourAt(png, col, row).join();
        const isLine = ink === "40,84,112" || ink === "186,140,96";
        if (Math.abs(x - 13.4) > 0.05 && !isLine) {
          const side = x < 13.4 ? "west" : "east";
          inks.set(side, (inks.get(side) ?? new Set<string>()).add(ink));
          checked++;
        }
      }
    }
    expect([...inks.get("west")!]).toEqual(["240,238,214"]);
    expect([...inks.get("east")!]).toEqual(["168,201,214"]);
    expect(checked).toBeGreaterThan(5000);
  });

  test("draws the shore where it is, and contours every 40 m", () => {
    const png = picture(sheet);
    const count = (red: number, green: number) => {
      let n = 0;
      for (let k = 0; k < png.data.length; k += 3) {
        n += png.data[k] === red && png.data[k + 1] === green ? 1 : 0;
      }
      return n;
    };
    // The shore crosses about 640 rows; a turned sheet of 7.9 km crosses three or four steps.
    expect(count(40, 84)).toBeGreaterThan(600);
    expect(count(40, 84)).toBeLessThan(1900);
    expect(count(186, 140)).toBeGreaterThan(1500);
  });
});

test("the grey scan is darker over water and fades where the ground rises", () => {
  const sheet = SHEETS.scan;
  const png = picture(sheet);
  expect([png.width, png.height, png.channels]).toEqual([760, 560, 1]);
  const mean = (from: number, to: number) => {
    let sum = 0;
    for (let row = 250; row < 310; row++) {
      for (let col = from; col < to; col++) {
        sum += png.data[row * png.width + col]!;
      }
    }
    return sum / (60 * (to - from));
  };
  expect(mean(100, 300)).toBeGreaterThan(mean(460, 660) + 60);
});
