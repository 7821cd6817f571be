import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { utm } from "@hindglance/core/geodesy/crs";
import { Evaluator, type SourceReader } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { node, sourceNode } from "@hindglance/core/graph/node";
import { northUp } from "@hindglance/core/grid/grid";
import { imageBytes } from "./image";

const WIDTH = 1300;
const HEIGHT = 900;
const band = (name: string) => ({ name, role: "value" as const, unit: "m" });
const info: ImageInfo = {
  grid: northUp(utm(27, true), 490_000, 5_180_000, 10, 10, WIDTH, HEIGHT),
  type: "float32",
  bands: [band("east"), band("south")],
};

// Columns in one band and rows in the other, so that every mean is known by hand.
const sources: SourceReader = {
  info: () => Promise.resolve(info),
  read: (_image, level, { col, row, width, height }) => {
    if (level > 0) {
      throw new Error("Only cells of the image itself are there");
    }
    const east = Float32Array.from({ length: width * height }, (_v, k) => col + (k % width));
    const south = Float32Array.from(east, (_v, k) => row + Math.floor(k / width));
    return Promise.resolve({
      window: { col, row, width, height },
      width,
      height,
      bands: [east, south],
    });
  },
};

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "image-"));
});
afterAll(() => rmSync(folder, { recursive: true }));

test("coarser levels of what is computed are means of its cells, over the edges of blocks too", async () => {
  const evaluator = new Evaluator({ sources });
  const shares: number[] = [];
  const making = {
    evaluator,
    signal: new AbortController().signal,
    progress: (share: number) => shares.push(share),
  };
  const spec = node("bands.select", { bands: [1, 0] }, sourceNode("made up"));
  const parts = [];
  const image = { node: spec, info: await evaluator.info(spec), items: { NAME: "Slopes" } };
  for await (const part of imageBytes(making, image)) {
    parts.push(part);
  }
  const path = join(folder, "slopes.tif");
  writeFileSync(path, Buffer.concat(parts));
  const valuesAt = (col: number, row: number, ...more: string[]) =>
    execFileSync("gdallocationinfo", ["-valonly", ...more, path, String(col), String(row)], {
      encoding: "utf8",
    })
      .trim()
      .split("\n")
      .map(Number);
  expect(valuesAt(700, 300)).toEqual([300, 700]);
  expect(valuesAt(WIDTH - 1, HEIGHT - 1)).toEqual([HEIGHT - 1, WIDTH - 1]);
  // A cell of the first level holds two by two, one of the second four by four.
  expect(valuesAt(700, 300, "-overview", "1")).toEqual([300.5, 700.5]);
  expect(valuesAt(1025, 513, "-overview", "2")).toEqual([513.5, 1025.5]);
  expect(shares.at(-1)).toBe(1);
  expect(shares).toEqual(shares.toSorted((one, other) => one - other));
  // 900 rows are 225 at the second level; the last one of 1300 columns is whole too.
  expect(valuesAt(1299, 899, "-overview", "2")).toEqual([897.5, 1297.5]);
});
