import { type RasterBand, asReal } from "./raster";

const band = (scale: number, offset: number): RasterBand => ({
  name: "cells",
  unit: "",
  scale,
  offset,
});

test("neither infinity, nor nodata, nor what overflows a 32-bit number is a value", () => {
  const raw = Float64Array.of(1, Infinity, -Infinity, NaN, -9999, 1e300, 2);
  const [cells] = asReal([raw], [band(2, 1)], -9999);
  expect([...cells!]).toEqual([3, NaN, NaN, NaN, NaN, NaN, 5]);
});
