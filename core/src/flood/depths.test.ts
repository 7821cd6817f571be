import { DepthTally, waterOf } from "./depths";

const areas = {
  cell: () => 100,
  run: (_row: number, from: number, to: number) => 100 * (to - from),
};
const window = { col: 0, row: 0, width: 3, height: 2 };

test("volumes are sums of depth times area by class and zone; unknown depths stand apart; sums merge", () => {
  const tally = new DepthTally(2);
  const labels = Uint8Array.of(1, 1, 0, 2, 1, 255);
  const depth = Float32Array.of(0.5, 1.5, 9, 2, NaN, 9);
  tally.add(labels, new Set([1, 2]), depth, Uint16Array.of(0, 1, 1, 1, 1, 1), window, areas);
  expect(tally.toJSON()).toEqual({
    zones: 2,
    entries: [
      [1, 100, 50, 0],
      [257, 100, 150, 100],
      [258, 100, 200, 0],
    ],
    deepestM: 2,
  });
  const twice = new DepthTally(2);
  twice.merge(tally.toJSON());
  twice.merge(tally.toJSON());
  expect(waterOf(twice.toJSON(), [1], null)).toEqual({
    areaM2: 400,
    volumeM3: 400,
    unknownM2: 200,
  });
  expect(waterOf(twice.toJSON(), [1, 2], 1)).toEqual({
    areaM2: 400,
    volumeM3: 700,
    unknownM2: 200,
  });
  expect(waterOf(twice.toJSON(), [3], null)).toEqual({ areaM2: 0, volumeM3: 0, unknownM2: 0 });
});
