import { InputError } from "../errors";
import { type NodeSpec, node, nodeHash, sourceNode } from "../graph/node";
import { versionOf } from "../graph/registry";
import { type Account, accountFrom, resultDifferences } from "./account";
import { GraphPacker, type PackedNode, placesIn, renamer, unpackIn, unpackNodes } from "./graph";

const hashOf = (spec: NodeSpec) => nodeHash(spec, versionOf);
/** Two dates that share what is below them. */
function graph(image: string): NodeSpec {
  const band = node("bands.select", { bands: [0] }, sourceNode(image));
  const db = node("radar.decibel", {}, band);
  return node("change.differences", {}, db, node("radar.decibel", {}, band));
}

describe("a graph that is told", () => {
  const packer = new GraphPacker();
  const root = packer.add(graph("a"));

  test("has every node that is alike once, inputs first", () => {
    expect(packer.nodes.map(({ step }) => step)).toEqual([
      ...["source", "bands.select", "radar.decibel", "change.differences"],
    ]);
    expect(packer.nodes.at(-1)!.inputs).toEqual([2, 2]);
  });

  test("is the same graph when it is read", () => {
    const nodes = unpackNodes(packer.nodes);
    expect(hashOf(nodes[root]!)).toBe(hashOf(graph("a")));
  });

  test("over images that are called otherwise is what it is over those", () => {
    const rename = renamer((image) => (image === "a" ? "b" : image));
    expect(hashOf(rename(graph("a")))).toBe(hashOf(graph("b")));
    expect(hashOf(rename(graph("a")))).not.toBe(hashOf(graph("a")));
  });

  test("stands in the place of what told it, wherever that is", () => {
    const nodes = unpackNodes(packer.nodes);
    const read = unpackIn({ all: [{ packedNode: 0 }, { more: 7 }] }, placesIn(nodes));
    expect(read).toEqual({ all: [sourceNode("a"), { more: 7 }] });
    expect(() => unpackIn({ packedNode: 99 }, placesIn(nodes))).toThrow(InputError);
  });

  const changed = (change: Partial<PackedNode>) => [
    ...packer.nodes.slice(0, 2),
    { ...packer.nodes[2]!, ...change },
  ];
  test.each<[string, Partial<PackedNode>, RegExp]>([
    ["a step that there is not", { step: "radar.melt" }, /no step called "radar.melt"/],
    ["a step of another version", { version: 99 }, /version 99 then and is \d+ now/],
    ["an input that comes later", { inputs: [2] }, /does not come before it/],
    ["an input that is none", { inputs: [0.5] }, /does not come before it/],
    ["too few inputs", { inputs: [] }, /does not take 0 inputs/],
    ["parameters that it does not have", { params: { x: 1 } }, /radar.decibel: /],
  ])("%s is refused", (_what, change, message) => {
    expect(() => unpackNodes(changed(change))).toThrow(message);
  });

  test("more nodes than any map has are refused", () => {
    const many = Array.from({ length: 20_001 }, () => packer.nodes[0]!);
    expect(() => unpackNodes(many)).toThrow(/More than 20000 nodes/);
  });
});

describe("what came out again", () => {
  const result: Account["result"] = {
    ...{ identity: "f".repeat(32), cells: "a".repeat(64), patches: "b".repeat(64) },
    ...{ patchCount: 3, tally: { zones: 1, entries: [] } },
  };
  test("is the same, or it is told what differs", () => {
    expect(resultDifferences(result, { ...result })).toEqual([]);
    expect(resultDifferences(result, { ...result, patchCount: 4 })).toEqual([
      "The number of patches differs: 3 then, 4 now.",
    ]);
    const tally = { ...result.tally, rows: [] };
    expect(resultDifferences(result, { ...result, tally })).toEqual([
      "The table of areas differs.",
    ]);
  });
});

test("what is no account is refused by the field that is wrong", () => {
  expect(() => accountFrom({})).toThrow(InputError);
  expect(() => accountFrom({ format: 2 })).toThrow(/format must be 1/);
  const field = (value: unknown): string => {
    try {
      accountFrom(value);
      return "none";
    } catch (error) {
      return error instanceof InputError ? (error.field ?? "") : "another error";
    }
  };
  expect(field({ format: 1, program: "x" })).not.toBe("none");
});
