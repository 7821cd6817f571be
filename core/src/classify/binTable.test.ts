import { Workspace } from "../wasm/kernels";
import { GROUP, inGroups } from "./binGroups";
import { tableOf } from "./binTable";
import { type Bins, binOf, binsOf } from "./bins";
import { randomFrom } from "./random";

/** Bins of values by the kernel. */
function byKernel(bins: Bins, values: Float32Array): Uint8Array {
  const { edges, starts, base, scale, half } = tableOf(bins);
  const workspace = Workspace.begin();
  const n = values.length;
  const at = {
    edges: workspace.take(edges.byteLength),
    starts: workspace.take(starts.byteLength),
    src: workspace.take(values.byteLength),
    out: workspace.take(inGroups(n)),
  };
  workspace.f32(at.edges, edges.length).set(edges);
  workspace.u8(at.starts, starts.length).set(starts);
  workspace.f32(at.src, n).set(values);
  workspace.kernels.binValues(
    ...([at.src, at.edges, at.starts, base, scale, half, at.out, GROUP, n] as const),
  );
  return workspace.u8(at.out, n).slice();
}

const expected = (bins: Bins, values: Float32Array): Uint8Array =>
  Uint8Array.from(values, (value) => binOf(bins, value));

/** Values on, beside and far from edges. */
function tried({ edges }: Bins): Float32Array {
  const near = [...edges].flatMap((edge) => {
    const ulp = Math.max(2 ** -149, Math.abs(edge) * 2 ** -23);
    return [edge - ulp, edge, edge + ulp];
  });
  const random = randomFrom(7);
  const spread = Math.max(1, (edges.at(-1) ?? 0) - (edges[0] ?? 0));
  const far = Array.from({ length: 500 }, () => (edges[0] ?? 0) + spread * (1.4 * random() - 0.2));
  return Float32Array.from([...near, ...far, NaN, Infinity, -Infinity, 0, -0, 1e-45, -1e-45, 3e38]);
}

describe("bins looked up in a table", () => {
  const random = randomFrom(5);
  const many = (value: () => number) => binsOf(Float64Array.from({ length: 5000 }, value));
  test.each<[name: string, bins: Bins]>([
    ["reflectances", many(() => Math.fround(0.05 + 0.4 * random()))],
    ["edges that single precision does not have", many(() => 1 + 1e-9 * random())],
    ["a few values far beyond the others", many(() => random() ** 40 * 1e6)],
    ["values of both signs", many(() => random() - 0.5)],
    ["edges about nought", { edges: Float64Array.of(-1e-46, 1e-46, 0.5) }],
    ["two values", { edges: Float64Array.of(3.5) }],
    ["two values, next to none apart", { edges: Float64Array.of(1, 1 + 2 ** -22) }],
    ["one value", { edges: new Float64Array(0) }],
  ])("are those that are found by halving: %s", (_name, bins) => {
    const values = tried(bins);
    expect(byKernel(bins, values)).toEqual(expected(bins, values));
  });
});
