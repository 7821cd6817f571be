import { LONLAT } from "../../geodesy/crs";
import { northUp } from "../../grid/grid";
import { memorySources } from "../../testing/support";
import { Evaluator } from "../evaluator";
import type { ImageInfo } from "../image";
import { node, sourceNode } from "../node";

test("on a grid of degrees each row has its own latitude, whatever window it is computed in", async () => {
  // A plane that rises by 10 m a cell of a tenth of a degree to the east, from 40 to 70 degrees.
  const [width, height] = [6, 300];
  const info: ImageInfo = {
    grid: northUp(LONLAT, 0, 70, 0.1, 0.1, width, height),
    type: "float32",
    bands: [{ name: "elevation", unit: "m", role: "elevation" }],
  };
  const z = Float32Array.from({ length: width * height }, (_, i) => 10 * (i % width));
  const evaluator = new Evaluator({ sources: memorySources({ z: { info, bands: [z] } }) });
  const slope = node("terrain.slope", {}, sourceNode("z"));
  const read = async (row: number, rows: number) =>
    (await evaluator.read(slope, 0, { col: 0, row, width, height: rows })).bands[0]!;
  const all = await read(0, height);
  for (const row of [1, 7, 150, 298]) {
    // A tenth of a degree of longitude on the ellipsoid, by the radius of the parallel.
    const lat = ((70 - (row + 0.5) * 0.1) * Math.PI) / 180;
    const parallel =
      (6378137 * Math.cos(lat)) / Math.sqrt(1 - 0.00669437999014 * Math.sin(lat) ** 2);
    const wanted = (Math.atan(10 / ((0.1 * Math.PI * parallel) / 180)) * 180) / Math.PI;
    expect(all[row * width + 3]! / wanted).toBeCloseTo(1, 5);
    expect((await read(row, 1))[3]).toBe(all[row * width + 3]);
  }
});
