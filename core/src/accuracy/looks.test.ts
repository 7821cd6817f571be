import { agreementOf } from "../review/standing";
import { agreementOn, settled } from "./looks";

describe("what a place is by all who looked at it", () => {
  test("most voices count; a draw is disputed; who cannot tell has none", () => {
    expect(settled([2, 2, 1])).toEqual({ state: "known", reference: 2 });
    expect(settled([null, 3])).toEqual({ state: "known", reference: 3 });
    expect(settled([0])).toEqual({ state: "known", reference: 0 });
    expect(settled([1, 2])).toEqual({ state: "disputed" });
    expect(settled([null, null])).toEqual({ state: "unsure" });
    expect(settled([])).toEqual({ state: "open" });
  });
});

describe("how far two people agree", () => {
  test("of two classes it is the kappa of reviewers", () => {
    const counts = { realReal: 20, realFalse: 5, falseReal: 10, falseFalse: 15 };
    const pairs = [
      ...Array.from({ length: 20 }, () => [1, 1] as const),
      ...Array.from({ length: 5 }, () => [1, 0] as const),
      ...Array.from({ length: 10 }, () => [0, 1] as const),
      ...Array.from({ length: 15 }, () => [0, 0] as const),
    ];
    const { patches, alike, kappa } = agreementOf(counts);
    expect(agreementOn(pairs)).toEqual({
      ...{ patches, alike },
      kappa: expect.closeTo(kappa!, 12) as unknown,
    });
    // Cohen's own example of twenty and fifteen of fifty alike.
    expect(kappa).toBeCloseTo(0.4, 12);
  });
  test("without a place that both told there is none", () => {
    expect(agreementOn([])).toEqual({ patches: 0, alike: 0, kappa: null });
    expect(agreementOn([[2, 2]]).kappa).toBeNull();
  });
});
