import { alwaysBeyond, changeDirection, changeVector } from "./vector";

const fraction = (...values: number[]) => Float32Array.of(...values);
test("length and direction of a change by hand", () => {
  const b = [fraction(1, 0, 2, 1, NaN, 1), fraction(1, 0, 2, 1, 1, 1)] as const;
  const a = [fraction(4, -1, 2, 1, 3, 1), fraction(5, 0, 0, 1, 1, 1)] as const;
  const out = new Float32Array(6);
  changeVector(b, a, out);
  expect([...out]).toEqual([5, 1, 2, 0, NaN, 0]);
  changeDirection(b, a, out);
  expect(out[0]).toBeCloseTo((Math.atan(4 / 3) * 180) / Math.PI, 4);
  expect([...out.subarray(1)]).toEqual([180, 270, NaN, NaN, NaN]);
});
test("what is dark on every date that shows it", () => {
  const out = new Float32Array(5);
  alwaysBeyond(
    [fraction(-20, -20, NaN, NaN, -17), fraction(-21, -9, -22, NaN, -22)],
    "<",
    -17,
    out,
  );
  expect([...out]).toEqual([1, 0, 1, NaN, 0]);
  alwaysBeyond([fraction(0.4, 0.1), fraction(0.2, 0.5)], ">", 0.15, out.subarray(0, 2));
  expect([...out.subarray(0, 2)]).toEqual([1, 0]);
});
