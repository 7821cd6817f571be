import { canonicalJson, imagesOf, nodeHash, type NodeSpec, node, sourceNode } from "./node";
import { STEPS, versionOf } from "./registry";

describe("node identity", () => {
  test("equal values, equal text, whatever the order of keys", () => {
    expect(canonicalJson({ b: 1, a: [true, null, "x"] })).toBe('{"a":[true,null,"x"],"b":1}');
    expect(() => canonicalJson({ a: NaN })).toThrow();
  });
  test("a hash changes with parameters, inputs and their order", () => {
    const h = (n: NodeSpec) => nodeHash(n, versionOf);
    const base = node("change.logRatio", {}, sourceNode("b"), sourceNode("a"));
    expect(h(base)).toBe(h(node("change.logRatio", {}, sourceNode("b"), sourceNode("a"))));
    expect(h(base)).not.toBe(h(node("change.logRatio", {}, sourceNode("a"), sourceNode("b"))));
    expect(h(node("radar.refinedLee", { looks: 4 }, sourceNode("a")))).not.toBe(
      h(node("radar.refinedLee", { looks: 5 }, sourceNode("a"))),
    );
    expect(h(base)).toMatch(/^[0-9a-f]{32}$/);
  });
  test("images of a graph are told once, however often they are read", () => {
    const shared = node("radar.refinedLee", { looks: 4 }, sourceNode("a"));
    expect(imagesOf(node("change.logRatio", {}, shared, shared))).toEqual(["a"]);
    expect(imagesOf(node("change.logRatio", {}, sourceNode("b"), shared))).toEqual(["b", "a"]);
  });
  test("every step has a title, help and a kind of its own", () => {
    expect(new Set(STEPS.map((step) => step.kind)).size).toBe(STEPS.length);
    STEPS.forEach((step) => {
      expect(step.title.length).toBeGreaterThan(2);
      expect(step.help).toMatch(/\.$/);
    });
  });
});
