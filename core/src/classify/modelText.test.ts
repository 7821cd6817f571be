import { isRecord } from "../values";
import { USUAL_FOREST, forestShares, growForest } from "./forest";
import type { ForestModel, SignatureModel } from "./model";
import { modelFrom, modelText } from "./modelText";
import { randomFrom } from "./random";
import { signatureOf } from "./signature";

const random = randomFrom(8);
const values = Float64Array.from({ length: 600 }, (_v, at) =>
  Math.fround((Math.floor(at / 3) % 3) + random()),
);
const labels = Uint8Array.from({ length: 200 }, (_v, i) => i % 3);
const head = {
  inputs: ["red", "near infrared", "slope"],
  classes: ["Wood", "Crop", "Town"].map((name, k) => ({ label: k + 2, name, color: "#446688" })),
};
const ofClass = (label: number) => ({
  values: values.filter((_value, at) => labels[Math.floor(at / 3)] === label),
  d: 3,
});
const signatures: SignatureModel = {
  ...head,
  kind: "signatures",
  signatures: [0, 1, 2].map((label) => signatureOf(ofClass(label))),
};
const forest: ForestModel = {
  ...head,
  kind: "forest",
  forest: growForest({ values, d: 3 }, labels, 3, { ...USUAL_FOREST, trees: 7 }),
};

test("means and covariances come back to the bit", () => {
  expect(modelFrom(modelText(signatures))).toEqual(signatures);
});

test("a forest comes back with the very probabilities that it gave", () => {
  const back = modelFrom(modelText(forest));
  if (back.kind !== "forest") {
    throw new Error(`It came back as ${back.kind}`);
  }
  expect(back.classes).toEqual(forest.classes);
  expect(back.forest.importance).toEqual(forest.forest.importance);
  const [own, other] = [new Float64Array(3), new Float64Array(3)];
  for (let i = 0; i < 200; i++) {
    forestShares(forest.forest, values, own, 3 * i);
    forestShares(back.forest, values, other, 3 * i);
    expect([...other]).toEqual([...own]);
  }
});

describe("a text that cannot be used is refused, with what is wrong", () => {
  type Place = readonly (string | number)[];
  type Change = (value: unknown) => unknown;
  /** The same with what stands at a place changed. */
  function changed(value: unknown, [key, ...rest]: Place, change: Change): unknown {
    if (key === undefined) {
      return change(value);
    }
    if (Array.isArray(value)) {
      return value.map((one: unknown, k) => (k === key ? changed(one, rest, change) : one));
    }
    if (!isRecord(value)) {
      throw new Error(`There is no ${key}`);
    }
    return { ...value, [key]: changed(value[key], rest, change) };
  }
  /** The text of a model with what stands at a place changed. */
  function broken(model: SignatureModel | ForestModel, place: Place, change: Change): string {
    const json: unknown = JSON.parse(modelText(model));
    return JSON.stringify(changed(json, place, change));
  }
  const be = (value: unknown) => () => value;
  const shorter: Change = (list) => (Array.isArray(list) ? list.slice(0, -1) : list);
  const backwards: Change = (list) => (Array.isArray(list) ? list.slice().reverse() : list);

  test.each<[string, string, RegExp]>([
    ["no JSON", "{", /it is no JSON/],
    ["another format", broken(signatures, ["format"], be("x")), /format/],
    ["a colour", broken(signatures, ["classes", 1, "color"], be("red")), /colour/],
    ["one label twice", broken(signatures, ["classes", 1, "label"], be(2)), /label 2/],
    [
      "a mean that is missing",
      broken(signatures, ["signatures", 1, "mean"], shorter),
      /means of Crop are not 3 numbers/,
    ],
    [
      "a mean that is no number",
      broken(signatures, ["signatures", 1, "mean", 0], be(null)),
      /signatures\[1\]\.mean\[0\]/,
    ],
    [
      "a class without cells",
      broken(signatures, ["signatures", 2, "count"], be(0)),
      /signatures\[2\]\.count/,
    ],
    [
      "a signature that is missing",
      broken(signatures, ["signatures"], shorter),
      /3 classes and 2 signatures/,
    ],
    ["edges of an input", broken(forest, ["edges"], shorter), /3 inputs and edges of 2/],
    ["edges out of order", broken(forest, ["edges", 0], backwards), /edges of red do not ascend/],
    [
      "a tree in a circle",
      broken(forest, ["trees", 0, "left", 1], be(0)),
      /node 1 of a tree leads nowhere/,
    ],
    [
      "a tree that asks for another input",
      broken(forest, ["trees", 0, "band", 0], be(3)),
      /node 0 of a tree leads nowhere/,
    ],
    ["a tree that is deeper", broken(forest, ["trees", 0, "depth"], be(1)), /deeper/],
    [
      "shares of a leaf",
      broken(forest, ["trees", 0, "shares"], shorter),
      /shares of a tree are not/,
    ],
  ])("%s", (_what, text, message) => {
    expect(() => modelFrom(text)).toThrow(message);
  });
});
