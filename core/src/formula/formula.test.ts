import { FormulaError, evaluateFormula, parseFormula } from "./formula";

const bands = ["blue", "red", "nir", "B4"];
const values: Record<string, Float32Array> = {
  blue: Float32Array.of(0.04, 0, 1),
  red: Float32Array.of(0.1, 0.2, NaN),
  nir: Float32Array.of(0.5, -0.2, 3),
  B4: Float32Array.of(2, 3, 4),
};
const compute = (text: string) => {
  const out = new Float32Array(3);
  evaluateFormula(parseFormula(text, bands), (n) => values[n]!, 3, out);
  return [...out];
};
const wrong = (text: string): FormulaError => {
  try {
    parseFormula(text, bands);
  } catch (error) {
    return error as FormulaError;
  }
  throw new Error(`"${text}" was read`);
};
const close = (a: number[], b: number[]) =>
  a.forEach((value, i) => {
    if (Number.isNaN(b[i])) {
      expect(value).toBeNaN();
    } else {
      expect(value).toBeCloseTo(b[i]!, 6);
    }
  });

describe("formulas", () => {
  test("ordinary arithmetic, in the usual order", () => {
    close(compute("(nir - red) / (nir + red)"), [0.4 / 0.6, NaN, NaN]);
    close(compute("2.5*(nir - red)/(nir + 6*red - 7.5*blue + 1)"), [
      (2.5 * 0.4) / (0.5 + 0.6 - 0.3 + 1),
      (2.5 * -0.4) / (-0.2 + 1.2 + 1),
      NaN,
    ]);
    close(compute("B4^2^0.5 - -1"), [
      2 ** Math.SQRT2 + 1,
      3 ** Math.SQRT2 + 1,
      4 ** Math.SQRT2 + 1,
    ]);
    close(compute("-B4^2"), [-4, -9, -16]);
    close(compute("1 - B4 − 1"), [-2, -3, -4]);
    close(compute("B4 + -B4^2"), [-2, -6, -12]);
    close(compute("B4 - -B4*2"), [6, 9, 12]);
    close(compute("(-B4)^2 + max(-B4, -3)"), [2, 6, 13]);
    close(compute("B4*-2 + 2^-1"), [-3.5, -5.5, -7.5]);
    close(compute("Max(B4, 3) + sqrt(nir)"), [3 + Math.SQRT1_2, NaN, 4 + Math.sqrt(3)]);
    close(compute("log10(nir) + NIR*0"), [Math.log10(0.5), NaN, Math.log10(3)]);
  });
  test("bands are listed in the order of use, once", () => {
    expect(parseFormula("nir + red*nir - b4", bands).uses).toEqual(["nir", "red", "B4"]);
  });
  test.each([
    ["nir + swir", 6, 4, /no band called "swir"/],
    ["red + red*rad", 10, 3, /no band called "rad"/],
    ["nir + ", 5, 1, /ends too early/],
    ["(nir + red", 9, 1, /ends too early|cannot be read/],
    ["nir red", 4, 1, /operator is missing/],
    ["2 nir", 2, 1, /operator is missing|cannot be read/],
    ["nir % 2", 4, 1, /"%" has no meaning/],
    ["nir; alert(1)", 3, 1, /";" has no meaning/],
    ["sine(nir)", 0, 4, /no function called "sine"/],
    ["min(nir)", 0, 3, /takes 2 values, not 1/],
    ["sqrt + nir", 0, 4, /needs parentheses/],
    ["B4*-B4^2", 2, 5, /unclear/],
    ["1 + 2", 0, 5, /uses no band/],
    ["   ", 0, 3, /empty/],
    ["nir.constructor", 0, 15, /Only arithmetic/],
    ["constructor(nir)", 0, 11, /no function/],
  ])("%s: points at the place", (text, at, length, message) => {
    const error = wrong(text);
    expect([error.at, error.length, error.message]).toEqual([
      at,
      length,
      expect.stringMatching(message),
    ]);
  });
});
