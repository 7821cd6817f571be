import { agreementOf, standingOf } from "./standing";

test.each([
  [[], "open"],
  [["open"], "open"],
  [["real", "open"], "real"],
  [["false", "false"], "false"],
  [["open", "false", "real"], "disputed"],
] as const)("%j makes a patch %s", (said, standing) => {
  expect(standingOf(said)).toBe(standing);
});

describe("agreement of two reviewers", () => {
  test("is Cohen's kappa", () => {
    // Hand-worked: 70 of 100 alike; by chance 0.6 × 0.7 + 0.4 × 0.3 = 0.54; (0.7 − 0.54) / 0.46.
    const both = { realReal: 50, realFalse: 10, falseReal: 20, falseFalse: 20 };
    const { patches, alike, kappa } = agreementOf(both);
    expect([patches, alike]).toEqual([100, 70]);
    expect(kappa).toBeCloseTo(0.16 / 0.46, 12);
  });
  test("is one where they judge all alike, and nought where it is chance", () => {
    expect(agreementOf({ realReal: 3, realFalse: 0, falseReal: 0, falseFalse: 4 }).kappa).toBe(1);
    expect(agreementOf({ realReal: 4, realFalse: 4, falseReal: 4, falseFalse: 4 }).kappa).toBe(0);
  });
  test("cannot be told of no patch, nor where both only ever say the same", () => {
    const none = { realReal: 0, realFalse: 0, falseReal: 0, falseFalse: 0 };
    expect(agreementOf(none)).toEqual({ patches: 0, alike: 0, kappa: null });
    expect(agreementOf({ ...none, realReal: 9 })).toEqual({ patches: 9, alike: 9, kappa: null });
  });
});
