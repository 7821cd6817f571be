import { patternsOf, isOnPattern } from "./patterns";
import { isApart, leastDifference, lightness } from "./seeing";

test("lightness of white, black and the middle grey", () => {
  expect(lightness("#ffffff")).toBeCloseTo(100, 3);
  expect(lightness("#000000")).toBeCloseTo(0, 6);
  // sRGB 119 is light of 0.1845, whose cube root by the definition gives 50.03.
  expect(lightness("#777777")).toBeCloseTo(50.03, 1);
});

/** #rrggbb of linear light. */
const hexOf = (light: readonly number[]): string => {
  const channel = (value: number) => {
    const share = value <= 0.0031308 ? 12.92 * value : 1.055 * value ** (1 / 2.4) - 0.055;
    return Math.round(255 * share)
      .toString(16)
      .padStart(2, "0");
  };
  return `#${light.map(channel).join("")}`;
};

test("colours that differ only in what a missing cone sees are one to those who lack it", () => {
  // What the deuteranope's table of the paper turns into nothing: across its first two rows.
  const [a, b] = [
    [0.367322, 0.860646, -0.227968],
    [0.280085, 0.672501, 0.047413],
  ] as const;
  const across = [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
  const far = Math.hypot(...across);
  const start = [0.3, 0.3, 0.3];
  const other = start.map((value, k) => value + (0.2 * across[k]!) / far);
  const [first, second] = [hexOf(start), hexOf(other)];
  expect(leastDifference(first, second)).toBeLessThan(4);
  expect(leastDifference(first, first)).toBe(0);
  expect(isApart(first, second)).toBe(false);
});

test("colours of one lightness are not apart in grey, however much they differ in colour", () => {
  expect(isApart("#0000ff", "#a00000")).toBe(false);
  expect(isApart("#ffffff", "#1d2a2b")).toBe(true);
});

test("classes that everybody tells apart have plain colours, others a pattern each", () => {
  expect(patternsOf(["#f2d9b8", "#b8562f", "#3a0a1c"])).toEqual(["plain", "plain", "plain"]);
  const patterns = patternsOf(["#c8246f", "#b8562f", "#33498c"]);
  expect(patterns[0]).toBe("plain");
  expect(new Set(patterns).size).toBe(3);
});

test.each(["rising", "falling", "level", "upright", "dots", "cross"] as const)(
  "the pattern %s is seen, and leaves most of the colour",
  (pattern) => {
    let on = 0;
    const places = 200;
    for (let r = 0; r < places; r++) {
      for (let c = 0; c < places; c++) {
        on += isOnPattern(pattern, 0.052 * c, 0.052 * r) ? 1 : 0;
      }
    }
    expect(on / places ** 2).toBeGreaterThan(0.08);
    expect(on / places ** 2).toBeLessThan(0.45);
  },
);
