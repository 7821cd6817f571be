import { growForest, USUAL_FOREST } from "../../classify/forest";
import type { ForestModel, Model, SignatureModel } from "../../classify/model";
import { farthest } from "../../classify/model";
import { signatureOf } from "../../classify/signature";
import { memorySources, testGrid } from "../../testing/support";
import { Evaluator } from "../evaluator";
import type { ImageInfo } from "../image";
import { node, sourceNode } from "../node";
import type { ApplyParams } from "./apply";

const CLASSES = [
  { label: 3, name: "Wood", color: "#2e6b3a" },
  { label: 7, name: "Crop", color: "#d1b45a" },
];
const TRAINED = { classes: CLASSES, inputs: ["red", "near infrared"] };
const cells = (...values: number[][]) => ({ values: Float64Array.from(values.flat()), d: 2 });
/** Wood about (1, 4), crop about (4, 2), each of variance 1 in both inputs, which go apart. */
const WOOD = cells([0, 4], [2, 4], [1, 3], [1, 5], [1, 4]);
const CROP = cells([3, 2], [5, 2], [4, 1], [4, 3], [4, 2]);
const signatures: SignatureModel = {
  ...TRAINED,
  kind: "signatures",
  signatures: [signatureOf(WOOD), signatureOf(CROP)],
};
const forest: ForestModel = {
  ...TRAINED,
  kind: "forest",
  forest: growForest(
    { values: Float64Array.of(...WOOD.values, ...CROP.values), d: 2 },
    Uint8Array.of(0, 0, 0, 0, 0, 1, 1, 1, 1, 1),
    2,
    { ...USUAL_FOREST, trees: 25 },
  ),
};
const MODELS: Record<string, Model> = { signatures, forest };

/** On wood, on crop, halfway, far beyond wood, and one that has no number. */
const RED = [1, 4, 2.5, 1, NaN];
const NEAR = [4, 2, 3, 12, 4];
const info: ImageInfo = {
  grid: testGrid(RED.length, 1),
  type: "float32",
  bands: TRAINED.inputs.map((name) => ({ name, unit: "", role: "value" })),
};
const sources = {
  ...memorySources({ x: { info, bands: [Float32Array.from(RED), Float32Array.from(NEAR)] } }),
  model: async (id: string) => MODELS[id]!,
};

const USUAL: ApplyParams = {
  ...{ model: "signatures", method: "likelihood", priors: [1, 1], reject: null, output: "labels" },
  classes: CLASSES,
};
async function applied(params: Partial<ApplyParams>): Promise<number[][]> {
  const classified = node("classify.apply", { ...USUAL, ...params }, sourceNode("x"));
  const evaluator = new Evaluator({ sources });
  const window = { col: 0, row: 0, width: RED.length, height: 1 };
  const { bands } = await evaluator.read(classified, 0, window);
  return bands.map((band) => [...band]);
}
const labelsOf = async (params: Partial<ApplyParams>): Promise<number[]> =>
  (await applied(params))[0]!;

describe("labels", () => {
  test.each([
    ["likelihood", "signatures"],
    ["mahalanobis", "signatures"],
    ["minimumDistance", "signatures"],
    ["spectralAngle", "signatures"],
    ["forest", "forest"],
  ] as const)("by %s are those of the legend; no number is nodata", async (method, model) => {
    const [wood, crop, , beyond, none] = await labelsOf({ method, model });
    expect([wood, crop, beyond, none]).toEqual([3, 7, 3, 255]);
    const [second, next] = await labelsOf({ method, model, output: "second" });
    expect([second, next]).toEqual([7, 3]);
  });

  test("a prior decides where both are as likely", async () => {
    expect((await labelsOf({ priors: [1, 3] }))[2]).toBe(7);
    expect((await labelsOf({ priors: [3, 1] }))[2]).toBe(3);
    expect(await labelsOf({ priors: [0, 1] })).toEqual([7, 7, 7, 7, 255]);
  });

  test("what lies too far from its class belongs to none", async () => {
    // Variances within are 0.5: eight in near infrared are √128 deviations.
    expect((await labelsOf({ reject: 0.01 }))[3]).toBe(0);
    expect((await labelsOf({ method: "mahalanobis", reject: 0.01 }))[3]).toBe(0);
    expect((await labelsOf({ method: "minimumDistance", reject: 7.9 }))[3]).toBe(0);
    expect((await labelsOf({ method: "minimumDistance", reject: 8.1 }))[3]).toBe(3);
    // (1, 12) and (1, 4): atan 12 − atan 4 = 9.27°.
    expect((await labelsOf({ method: "spectralAngle", reject: 9.2 }))[3]).toBe(0);
    expect((await labelsOf({ method: "spectralAngle", reject: 9.3 }))[3]).toBe(3);
  });
});

describe("how sure it is", () => {
  test("probabilities sum to one; confidence is the greater", async () => {
    const [wood, crop] = await applied({ output: "probabilities" });
    const [confidence] = await applied({ output: "confidence" });
    expect(wood![2]).toBeCloseTo(0.5, 6);
    expect(wood![0]! + crop![0]!).toBeCloseTo(1, 6);
    // Δ = (3, −2) over deviations √½: exp(−½ · 26).
    expect(crop![0]).toBeCloseTo(1 / (1 + Math.exp(13)), 8);
    expect(confidence![0]).toBeCloseTo(wood![0]!, 7);
    expect(wood![4]).toBeNaN();
    expect(confidence![4]).toBeNaN();
  });
  test("by distance: one on the mean, nought halfway", async () => {
    const [confidence] = await applied({ method: "minimumDistance", output: "confidence" });
    expect(confidence![0]).toBe(1);
    expect(confidence![2]).toBeCloseTo(0, 6);
  });
});

test("the limit of a share, by tables of chi square", () => {
  expect(farthest(0.05, 1)).toBeCloseTo(3.8415, 4);
  expect(farthest(0.01, 7)).toBeCloseTo(18.4753, 4);
  expect(farthest(0.9, 4)).toBeCloseTo(1.0636, 4);
});

describe("what cannot be", () => {
  test.each<[string, Partial<ApplyParams>, RegExp]>([
    ["no trees", { method: "forest" }, /Random forest does not work with this model/],
    ["trees", { model: "forest" }, /it holds trees/],
    ["one prior", { priors: [1] }, /2 classes and 1 priors/],
    ["no prior", { priors: [0, 0] }, /All priors are nought/],
    [
      "probabilities of a distance",
      { method: "mahalanobis", output: "probabilities" },
      /gives no probabilities/,
    ],
    [
      "another legend",
      { priors: [1, 1, 1], classes: [...CLASSES, { label: 9, name: "Town", color: "#884444" }] },
      /knows 2 classes; the legend has 3/,
    ],
  ])("%s", async (_what, params, message) => {
    await expect(applied(params)).rejects.toThrow(message);
  });
  test("another number of inputs is told with those that it was trained on", async () => {
    const one = node("bands.select", { bands: [0] }, sourceNode("x"));
    const classified = node("classify.apply", { ...USUAL }, one);
    const window = { col: 0, row: 0, width: 1, height: 1 };
    await expect(new Evaluator({ sources }).read(classified, 0, window)).rejects.toThrow(
      "The model was trained on 2 inputs (red, near infrared); here are 1",
    );
  });
});
