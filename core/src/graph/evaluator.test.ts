import { buildChange } from "../change/build";
import { lcg, memorySources, testGrid } from "../testing/support";
import { fillWindow, runsOf } from "../patches/runs";
import { sieve } from "../patches/sieve";
import { Evaluator, gatheringNodes } from "./evaluator";
import { nodeHash, node, sourceNode } from "./node";
import { versionOf } from "./registry";
import type { StepState } from "./step";
import { width, sources, setup, inputs, whole, byBlocks } from "../testing/pairOfDates";

describe("evaluator", () => {
  test("whole-image facts are found once and kept", async () => {
    const store = new Map<string, StepState>();
    let puts = 0;
    const states = {
      get: async (k: string) => store.get(k) ?? null,
      put: async (k: string, state: StepState) => {
        puts++;
        store.set(k, state);
      },
      remove: async (keys: readonly string[]) => {
        keys.forEach((key) => store.delete(key));
      },
    };
    const classes = buildChange(await inputs(), setup).classes;
    const a = await whole(new Evaluator({ sources, states }), classes);
    const b = await byBlocks(new Evaluator({ sources, states }), classes, 32);
    expect(puts).toBe(1);
    expect(b[0]).toEqual(a[0]);
  });
  test("strips gathered apart and merged by another evaluator give the same", async () => {
    const height = 1100;
    const tall = testGrid(30, height);
    const random = lcg(21);
    const info = {
      grid: tall,
      type: "class8" as const,
      bands: [{ name: "c", unit: "", role: "classes" as const }],
      classes: [],
    };
    const cells = Uint8Array.from({ length: 30 * height }, () => {
      if (random() < 0.5) {
        return 1;
      }
      if (random() < 0.5) {
        return 0;
      }
      return 2;
    });
    const sourceReader = memorySources({ c: { info, bands: [cells] } });
    const store = new Map<string, StepState>();
    const states = {
      get: async (k: string) => store.get(k) ?? null,
      put: async (k: string, state: StepState) => {
        store.set(k, state);
      },
      remove: async (keys: readonly string[]) => {
        keys.forEach((key) => store.delete(key));
      },
    };
    const n = node("limit.minimumPatch", { minCells: 9, neighbours: 4 }, sourceNode("c"));
    expect(gatheringNodes(n)).toEqual([n]);
    await new Evaluator({ sources: sourceReader, states }).gatherStrips(n, 1, 3);
    await new Evaluator({ sources: sourceReader, states }).gatherStrips(n, 0, 1);
    expect(store.size).toBe(3);
    const got = (
      await whole(
        new Evaluator({
          sources: {
            ...sourceReader,
            read: () => {
              throw new Error("everything is gathered");
            },
          },
          states,
        }),
        n,
      )
    )[0]!;
    expect([...store.keys()]).toEqual([`${nodeHash(n, versionOf)}/0`]);
    const { runs } = sieve(runsOf(cells, 30, height), 9, 4);
    const expected = new Uint8Array(cells.length);
    fillWindow(runs, 0, 0, 30, height, expected);
    expect(got).toEqual(expected);
  });
  test("a preview of the minimum patch differs at most near its window", async () => {
    const classes = buildChange(await inputs(), setup).classes;
    const full = (await whole(new Evaluator({ sources }), classes))[0]!;
    const block = await new Evaluator({ sources, preview: true }).read(classes, 0, {
      col: 20,
      row: 20,
      width: 40,
      height: 30,
    });
    let same = 0;
    block.bands[0]!.forEach((value, i) => {
      if (value === full[(20 + Math.floor(i / 40)) * width + 20 + (i % 40)]) {
        same++;
      }
    });
    expect(same).toBe(1200);
  });
  test("kept nodes are read, not computed", async () => {
    const changeNodes = buildChange(await inputs(), setup);
    const h = nodeHash(changeNodes.gated, versionOf);
    let reads = 0;
    const evaluator = new Evaluator({
      sources: {
        ...sources,
        read: () => {
          throw new Error("sources must not be read");
        },
      },
      kept: {
        has: (x) => x === h,
        info: () => new Evaluator({ sources }).info(changeNodes.gated),
        read: async (_x, _l, w) => {
          reads++;
          return {
            window: w,
            bands: Array.from({ length: 5 }, () => new Float32Array(w.width * w.height).fill(-20)),
          };
        },
      },
    });
    const block = await evaluator.read(changeNodes.raw, 0, { col: 0, row: 0, width: 8, height: 8 });
    expect(reads).toBe(1);
    expect([...block.bands[0]!].every((value) => value === 1)).toBe(true);
  });
  test("cells outside the image are nodata", async () => {
    const block = await new Evaluator({ sources }).read(sourceNode("a"), 0, {
      col: -2,
      row: -2,
      width: 3,
      height: 3,
    });
    expect([...block.bands[0]!].every(Number.isNaN)).toBe(true);
  });
  test("mistakes in order and kind are refused with the reason", async () => {
    const evaluator = new Evaluator({ sources });
    await expect(
      evaluator.info(
        node("radar.refinedLee", { looks: 4 }, node("radar.decibel", {}, sourceNode("a"))),
      ),
    ).rejects.toThrow(/power, never on decibels/);
    await expect(
      evaluator.info(node("change.logRatio", {}, sourceNode("a"), sourceNode("dem"))),
    ).rejects.toThrow(/different grids/);
    await expect(
      evaluator.info(node("radar.lee", { windowCells: 4, looks: 4 }, sourceNode("a"))),
    ).rejects.toThrow(/windowCells/);
    await expect(
      evaluator.info(node("radar.lee", { windowCells: 5, looks: 4, extra: 1 }, sourceNode("a"))),
    ).rejects.toThrow(/extra/);
    await expect(evaluator.info(node("nonsense", {}, sourceNode("a")))).rejects.toThrow(/no step/);
    await expect(evaluator.info(node("change.logRatio", {}, sourceNode("a")))).rejects.toThrow(
      /takes 2 to 2/,
    );
    await expect(
      evaluator.info(node("bands.select", { bands: [4] }, sourceNode("a"))),
    ).rejects.toThrow(/no band 5/);
  });
  test("cancel stops it", async () => {
    const abortController = new AbortController();
    abortController.abort();
    await expect(
      new Evaluator({ sources, signal: abortController.signal }).read(sourceNode("a"), 0, {
        col: 0,
        row: 0,
        width: 4,
        height: 4,
      }),
    ).rejects.toThrow("Cancelled");
  });
  test("coarser levels agree with the steps run on the averaged source", async () => {
    const evaluator = new Evaluator({ sources });
    const db = (await whole(evaluator, node("radar.decibel", {}, sourceNode("a")), 1))[0]!;
    const src = (await whole(evaluator, sourceNode("a"), 1))[0]!;
    expect(db).toHaveLength(42 * 34);
    db.forEach((value, i) => {
      if (src[i]! > 0) {
        expect(value).toBeCloseTo(10 * Math.log10(src[i]!), 5);
      } else {
        expect(value).toBeNaN();
      }
    });
  });
});
