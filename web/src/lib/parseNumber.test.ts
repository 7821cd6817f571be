import { decimalsOf, shownNumber } from "./format";
import { parseNumber } from "./parseNumber";

test.each([
  ["3", 3],
  ["3.5", 3.5],
  ["3,5", 3.5],
  [" 3,5 ", 3.5],
  [".5", 0.5],
  ["-4.6", -4.6],
  ["−4,6", -4.6],
  ["+4", 4],
  ["1 234", 1234],
  ["1\u2009234,5", 1234.5],
  ["1e3", 1000],
  ["2.5E-2", 0.025],
])("%s is %d", (text, value) => {
  expect(parseNumber(text)).toBe(value);
});

test.each([
  "",
  " ",
  "-",
  ".",
  "x",
  "0x10",
  "0b1",
  "1.2.3",
  "1,2,3",
  "1 23",
  "12 dB",
  "1e",
  "1e999",
  "Infinity",
  "NaN",
  "٣",
])("%p is no number", (text) => {
  expect(parseNumber(text)).toBeNull();
});

test("decimals of a number as it is written", () => {
  expect([0, 1, 0.5, 0.25, -0.001, 1e-7, 1234.5].map(decimalsOf)).toEqual([0, 0, 1, 2, 3, 7, 1]);
});

test("what a field shows can be read back as the very value, to six figures", () => {
  for (const value of [0, 1, -3, 0.1, -4.6, 0.001, 0.0375, 123456, -0.00012, 17.25]) {
    for (const decimals of [0, 1, 2]) {
      expect(parseNumber(shownNumber(value, decimals))).toBe(value);
    }
  }
  expect(shownNumber(-3, 1)).toBe("−3.0");
  expect(shownNumber(1 / 3, 1)).toBe("0.333333");
});
