import { area, bytes, duration, areaSaid, number } from "./format";

describe("numbers for people", () => {
  test("thin spaces, true minus, fixed decimals", () => {
    expect(number(1234567.891, 1)).toBe("1\u2009234\u2009567.9");
    expect(number(-4.62, 1)).toBe("\u22124.6");
    expect(number(4.6, 1, true)).toBe("+4.6");
    expect(number(-0.04, 1)).toBe("0.0");
    expect(number(NaN)).toBe("–");
  });
  test("areas in every unit", () => {
    const r = { areaM2: 12_345_678, cells: 30864, sharePercent: 6.5432 };
    expect([area(r, "km2"), area(r, "ha"), area(r, "cells"), area(r, "percent")]).toEqual([
      "12.346",
      "1\u2009234.6",
      "30\u2009864",
      "6.54",
    ]);
    expect(areaSaid(12_345_678)).toBe("12.35\u2009km²");
    expect(areaSaid(189_076_000)).toBe("189.1\u2009km²");
    expect(areaSaid(2_800)).toBe("0.3\u2009ha");
    expect(areaSaid(400)).toBe("400\u2009m²");
    expect(areaSaid(0)).toBe("0.00\u2009km²");
  });
  test("sizes and durations", () => {
    expect([bytes(999), bytes(10_170_090), bytes(1.2e9)]).toEqual([
      "999\u2009B",
      "10.2\u2009MB",
      "1.2\u2009GB",
    ]);
    expect([duration(0.2), duration(59), duration(600), duration(5400)]).toEqual([
      "1\u2009s",
      "59\u2009s",
      "10\u2009min",
      "1.5\u2009h",
    ]);
  });
});
