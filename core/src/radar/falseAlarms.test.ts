import { falseAlarmsPerCell, unchangedStrength } from "./falseAlarms";

test("the strength that is asked for has the rate that is asked for", () => {
  for (const looks of [1, 4, 20, 1000]) {
    for (const perCell of [3e-4, 1e-5, 1e-6, 1e-8]) {
      const strength = unchangedStrength(perCell, looks);
      expect(falseAlarmsPerCell(strength, looks) / perCell).toBeCloseTo(1, 9);
    }
  }
});
test("seldomer asks for more, few looks ask for more, and the most that is asked has an end", () => {
  expect(unchangedStrength(1e-6, 8)).toBeGreaterThan(unchangedStrength(1e-5, 8));
  expect(unchangedStrength(1e-5, 1)).toBeGreaterThan(unchangedStrength(1e-5, 8));
  expect(unchangedStrength(0.5, 8)).toBeCloseTo(2.8, 9);
});
test("it lies where a normal deviate of nine cells would lie, a little farther by its background", () => {
  // One in 10^5 lies beyond 4.4 deviations of a normal, on two sides together; beyond 4.9 of a t of
  // fifty degrees of freedom, which is what two windows of 225 cells in means of nine have.
  const strength = unchangedStrength(1e-5, 1000);
  expect(strength).toBeGreaterThan(4.4);
  expect(strength).toBeLessThan(4.9);
});
