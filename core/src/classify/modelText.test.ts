import { USUAL_FOREST, forestShares, growForest } from "./forest";
import type { ForestModel, SignatureModel } from "./model";
import { modelFrom, modelText } from "./modelText";
import { randomFrom } from "./random";
import { signatureOf } from "./signature";

const jsonOf = <T>(text: string): T => JSON.parse(text) as T;

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
  /** The text of a model after something was done to it. */
  const broken = (model: SignatureModel | ForestModel, change: (json: Json) => void): string => {
    const json = jsonOf<Json>(modelText(model));
    change(json);
    return JSON.stringify(json);
  };
  interface Json {
    format: string;
    inputs: string[];
    classes: { label: number; color: string }[];
    signatures: { count: number; mean: (number | null)[]; covariance: number[] }[];
    edges: number[][];
    trees: { left: number[]; band: number[]; shares: number[]; depth: number }[];
  }
  test.each<[string, string, RegExp]>([
    ["no JSON", "{", /it is no JSON/],
    ["another format", broken(signatures, (json) => (json.format = "x")), /format/],
    ["a colour", broken(signatures, (json) => (json.classes[1]!.color = "red")), /colour/],
    ["one label twice", broken(signatures, (json) => (json.classes[1]!.label = 2)), /label 2/],
    [
      "a mean that is missing",
      broken(signatures, (json) => json.signatures[1]!.mean.pop()),
      /means of Crop are not 3 numbers/,
    ],
    [
      "a mean that is no number",
      broken(signatures, (json) => (json.signatures[1]!.mean[0] = null)),
      /signatures\[1\]\.mean\[0\]/,
    ],
    [
      "a class without cells",
      broken(signatures, (json) => (json.signatures[2]!.count = 0)),
      /count/,
    ],
    [
      "a signature that is missing",
      broken(signatures, (json) => json.signatures.pop()),
      /3 classes and 2 signatures/,
    ],
    ["edges of an input", broken(forest, (json) => json.edges.pop()), /3 inputs and edges of 2/],
    [
      "edges out of order",
      broken(forest, (json) => json.edges[0]!.reverse()),
      /edges of red do not ascend/,
    ],
    [
      "a tree in a circle",
      broken(forest, (json) => (json.trees[0]!.left[1] = 0)),
      /node 1 of a tree leads nowhere/,
    ],
    [
      "a tree that asks for another input",
      broken(forest, (json) => (json.trees[0]!.band[0] = 3)),
      /node 0 of a tree leads nowhere/,
    ],
    ["a tree that is deeper", broken(forest, (json) => (json.trees[0]!.depth = 1)), /deeper/],
    [
      "shares of a leaf",
      broken(forest, (json) => json.trees[0]!.shares.pop()),
      /shares of a tree are not/,
    ],
  ])("%s", (_what, text, message) => {
    expect(() => modelFrom(text)).toThrow(message);
  });
});
