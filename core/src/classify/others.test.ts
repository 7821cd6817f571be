import { normalPriors } from "./gaussian";
import type { Method, SignatureModel } from "./model";
import { lookerOf } from "./scores";
import { signatureOf } from "./signature";
// Made-up training and cells with what two general-purpose libraries (quadratic discriminant
// analysis; distances of vectors) make of them.
import others from "./testdata/others.json";

const model: SignatureModel = {
  kind: "signatures",
  inputs: ["a", "b", "c"],
  classes: others.training.map((_cells, k) => ({ label: k + 1, name: `${k}`, color: "#000000" })),
  signatures: others.training.map((cells) =>
    signatureOf({ values: Float64Array.from(cells.flat()), d: 3 }),
  ),
};

test.each<[Method, number[][]]>([
  ["likelihood", others.probabilities],
  ["mahalanobis", others.mahalanobis],
  ["minimumDistance", others.distance],
  ["spectralAngle", others.angle],
])("%s gives every cell what an independent implementation gives it", (method, expected) => {
  const looker = lookerOf(model, method, normalPriors(others.priors));
  others.cells.forEach((cell, k) => {
    looker.look(cell);
    expect(
      Math.max(...expected[k]!.map((own, place) => Math.abs(own - looker.scores[place]!))),
    ).toBeLessThan(1e-9);
  });
});
