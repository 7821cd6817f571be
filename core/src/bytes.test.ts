import { bytesOf } from "./bytes";

test.each([
  ["a typed array", new Float32Array(100), 400],
  ["a view of a larger buffer", new Uint8Array(new ArrayBuffer(1000), 10, 20), 20],
  ["a text", "abcd", 8],
  ["a number", 5, 8],
  ["nothing", null, 8],
  // The object, two references, and what they lead to.
  ["an object", { a: new Uint8Array(16), b: "xy" }, 8 + 8 + 16 + 8 + 4],
  ["a list", [1, 2, 3], 8 + 3 * 16],
  ["a map", new Map([["ab", new Int16Array(3)]]), 8 + 8 + 4 + 8 + 6],
])("%s", (_what, value, bytes) => expect(bytesOf(value)).toBe(bytes));

test("what is met twice counts once, and a ring ends", () => {
  const cells = new Float64Array(10);
  expect(bytesOf({ a: cells, b: cells })).toBe(8 + 8 + 80 + 8 + 8);
  const ring: { next?: object } = {};
  ring.next = ring;
  expect(bytesOf(ring)).toBe(8 + 8 + 8);
});
