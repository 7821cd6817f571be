import { agreementWith, likeWhich } from "./otherDates";

describe("other dates", () => {
  test("a date is like the one of the pair that it is nearer to", () => {
    const pair = { before: -8, after: -16 };
    expect(likeWhich({ value: -9, ...pair })).toBe("before");
    expect(likeWhich({ value: -20, ...pair })).toBe("after");
    expect(likeWhich({ value: -12, ...pair })).toBeNull();
    expect(likeWhich({ value: NaN, ...pair })).toBeNull();
    expect(likeWhich({ value: 3, before: 2, after: 2 })).toBeNull();
  });
  test("earlier dates agree as before, later ones as after; what is not seen counts for neither", () => {
    const dates = [
      { value: -8.5, isEarlier: true },
      { value: -15, isEarlier: true },
      { value: NaN, isEarlier: true },
      { value: -15.5, isEarlier: false },
    ];
    expect(agreementWith(dates, { before: -8, after: -16 })).toEqual({
      ...{ earlierAlike: 1, earlierSeen: 2 },
      ...{ laterAlike: 1, laterSeen: 1 },
    });
  });
});
