import { messageOf } from "../errors";
import { labelCells, realCells } from "../raster/block";
import { plainName, twinName } from "./twinNames";

test("names are compared without case and outer or double spaces", () => {
  expect(plainName("  New   Water ")).toBe("new water");
  expect(twinName([{ name: "New water" }, { name: "Standing water" }])).toBeNull();
  expect(twinName([{ name: "New water" }, { name: "x" }, { name: "NEW  water " }])).toBe(
    "NEW  water ",
  );
  expect(twinName([])).toBeNull();
});

test("cells are what they are taken for, or it is said that they are not", () => {
  const real = new Float32Array(3);
  const labels = new Uint8Array(3);
  expect(realCells(real)).toBe(real);
  expect(labelCells(labels)).toBe(labels);
  expect(() => realCells(labels)).toThrow("not class labels");
  expect(() => labelCells(real)).toThrow("not real-valued");
});

test("whatever is thrown says something", () => {
  expect(messageOf(new RangeError("too far"))).toBe("too far");
  expect(messageOf("a text")).toBe("a text");
  expect(messageOf(undefined)).toBe("undefined");
});
