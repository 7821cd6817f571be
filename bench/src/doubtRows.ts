import { appearanceOf } from "@hindglance/core/doubt/appearance";
import { AROUND_CELLS } from "@hindglance/core/doubt/around";
import { type Looked, probabilitiesOf } from "@hindglance/core/doubt/probabilities";
import { Samples } from "@hindglance/core/doubt/samples";
import { BLOCK } from "@hindglance/core/grid/grid";
import { normalFrom } from "@hindglance/core/testing/normal";
import { blobs } from "./fields";
import type { Row } from "./rows";

/** A block of a map of three classes with both dates and a third value, and how the classes look. */
function lookedAt() {
  const width = BLOCK + 2 * AROUND_CELLS;
  const labels = blobs(width);
  const normal = normalFrom(2);
  const inner = Uint8Array.from({ length: BLOCK * BLOCK }, (_v, i) => {
    const row = Math.floor(i / BLOCK) + AROUND_CELLS;
    return labels[row * width + (i % BLOCK) + AROUND_CELLS]!;
  });
  const values = [-6, -9, 2].map((step) =>
    Float32Array.from(inner, (label) => step * label + 1.5 * normal()),
  );
  const samples = new Samples(values.length);
  samples.add(inner, values, { col: 0, row: 0, width: BLOCK, height: BLOCK });
  const appearance = appearanceOf(samples.finish(), values.length)!;
  return { appearance, looked: { labels, width, values } satisfies Looked };
}

/** Rows of the doubt of maps. */
export const DOUBT_ROWS: Row[] = [
  {
    name: "doubt of every cell, 3 classes, 3 values",
    cells: BLOCK * BLOCK,
    target: 1,
    setUp: () => {
      const { appearance, looked } = lookedAt();
      return () => {
        probabilitiesOf(appearance, looked);
      };
    },
  },
];
