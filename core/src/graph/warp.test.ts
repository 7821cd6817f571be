import { LONLAT, transformer } from "../geodesy/crs";
import { northUp, toMap, type Grid } from "../grid/grid";
import { memorySources, testGrid } from "../testing/support";
import { Evaluator } from "./evaluator";
import { node, sourceNode } from "./node";
import { whole } from "../testing/pairOfDates";

describe("warp", () => {
  test("a plane comes out as the same plane on a finer and turned grid", async () => {
    const grid = northUp(testGrid(1, 1).crs, 499900, 5170100, 50, 50, 60, 60);
    const plane = Float32Array.from({ length: 3600 }, (_v, i) => {
      const [x, y] = toMap(grid, (i % 60) + 0.5, Math.floor(i / 60) + 0.5);
      return (x - 500000) * 0.01 + (y - 5168000) * 0.02;
    });
    const sourceReader = memorySources({
      p: {
        info: { grid, type: "float32", bands: [{ name: "z", unit: "m", role: "elevation" }] },
        bands: [plane],
      },
    });
    const target: Grid = {
      crs: grid.crs,
      transform: [500200, 30, 5, 5169500, 5, -30],
      width: 40,
      height: 40,
    };
    const out = (
      await whole(
        new Evaluator({ sources: sourceReader }),
        node("grid.warp", { grid: target, kernel: "bilinear" }, sourceNode("p")),
      )
    )[0]!;
    out.forEach((value, i) => {
      const [x, y] = toMap(target, (i % 40) + 0.5, Math.floor(i / 40) + 0.5);
      expect(value).toBeCloseTo((x - 500000) * 0.01 + (y - 5168000) * 0.02, 3);
    });
  });
  test("from lon/lat: positions within a hundredth of a cell of the exact projection", async () => {
    const grid = northUp(LONLAT, -21.02, -43.58, 0.0005, 0.0005, 90, 80);
    const lon = Float32Array.from({ length: 7200 }, (_v, i) => (i % 90) + 0.5);
    const sourceReader = memorySources({
      p: {
        info: { grid, type: "float32", bands: [{ name: "col", unit: "", role: "value" }] },
        bands: [lon],
      },
    });
    const target = northUp(testGrid(1, 1).crs, 498700, 5173900, 40, 40, 60, 50);
    const pointTransform = transformer(target.crs, LONLAT);
    const out = (
      await whole(
        new Evaluator({ sources: sourceReader }),
        node("grid.warp", { grid: target, kernel: "bilinear" }, sourceNode("p")),
      )
    )[0]!;
    let checked = 0;
    out.forEach((value, i) => {
      if (Number.isNaN(value)) {
        return;
      }
      const [x] = pointTransform(...toMap(target, (i % 60) + 0.5, Math.floor(i / 60) + 0.5));
      const c = (x + 21.02) / 0.0005;
      if (c > 1 && c < 89) {
        checked++;
        expect(Math.abs(value - c)).toBeLessThan(0.01);
      }
    });
    expect(checked).toBeGreaterThan(2000);
  });
});
