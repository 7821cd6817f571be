import { lanesOf, monthMarks } from "./timeMarks";

const at = (y: number, m: number) => Date.UTC(y, m - 1, 1);
test("every month has its name where there is room, with the year at the first and at January", () => {
  expect(monthMarks(at(2024, 11) - 5, at(2025, 3), 800).map((monthMark) => monthMark.name)).toEqual(
    ["November 2024", "December", "January 2025", "February"],
  );
});
test("two years on a narrow axis show quarters from January, a decade shows years; nothing without width", () => {
  const two = monthMarks(at(2024, 2), at(2026, 2), 830);
  expect(two.map((monthMark) => new Date(monthMark.t).getUTCMonth() % 3)).toEqual(two.map(() => 0));
  expect(two.map((monthMark) => monthMark.t)).toContain(at(2025, 1));
  for (let k = 1; k < two.length; k++) {
    expect(((two[k]!.t - two[k - 1]!.t) / (at(2026, 2) - at(2024, 2))) * 830).toBeGreaterThan(90);
  }
  expect(monthMarks(at(2010, 6), at(2020, 6), 800).map((monthMark) => monthMark.name)).toEqual([
    "2012",
    "2014",
    "2016",
    "2018",
    "2020",
  ]);
  expect(monthMarks(at(2024, 1), at(2024, 6), 0)).toEqual([]);
});
test("marks of one day lie beside each other; those apart lie on the axis", () => {
  expect(lanesOf([100, 50, 100, 100, 100, 120])).toEqual([0, 0, -1, 1, 0, 0]);
});
