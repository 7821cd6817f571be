import { type Change, withChanges } from "@hindglance/contract/changes";
import type { NodeView } from "@hindglance/contract/nodes";
import type { BoardCell, BoardRow, PrepareAnswer } from "@hindglance/contract/prepare";
import { keysOf } from "@hindglance/core/chain/family";
import { floodChain } from "@hindglance/core/chain/radarChain";
import { utm } from "@hindglance/core/geodesy/crs";
import type { BandInfo } from "@hindglance/core/graph/image";
import { northUp } from "@hindglance/core/grid/grid";
import { addToHistogram, emptyHistogram } from "@hindglance/core/raster/histogram";
import { stateOf } from "../prepare/chainState";
import type { Field } from "../prepare/useFields";
import { type Asked, Refusal, answersTo, fakeServer } from "./page";
import { aBand, aNode, anImage, idOf } from "./things";

/** The date before the event, and the one after. */
export const SCENE = idOf(1);
export const OTHER = idOf(2);

const grid = northUp(utm(27, true), 490_000, 5_180_000, 10, 10, 100, 80);
const cellOf = (step: string): BoardCell => ({
  ...{ step, state: "waiting", text: "", error: null, exception: false },
  warnings: [],
});
const rowOf = (sceneId: string, acquiredAt: string): BoardRow => ({
  sceneId,
  name: "LANTERN1",
  acquiredAt,
  pass: "descending",
  cells: keysOf("radar").map(cellOf),
  result: null,
  ready: false,
  runId: null,
  looks: null,
});

/** A radar chain with two dates that were not run, and what a test gives it. */
export const aBoard = (more: Partial<PrepareAnswer> = {}): PrepareAnswer => ({
  family: "radar",
  chain: floodChain(grid, { elevationId: null, looks: 4.4, rangeLooks: 1, azimuthLooks: 1 }),
  exceptions: {},
  heldOut: [],
  rows: [rowOf(SCENE, "2025-05-02T18:41:00Z"), rowOf(OTHER, "2025-05-14T18:41:00Z")],
  elevations: [],
  orbits: [],
  old: [],
  ...more,
});

/** Figures of a field of 400 cells around a mean. */
export function fieldOf(mean: number, unit = "dB"): Field {
  const histogram = emptyHistogram(mean - 10, mean + 10, 40);
  addToHistogram(
    histogram,
    Float32Array.from({ length: 400 }, (_v, k) => mean + ((k % 40) - 20) / 4),
  );
  return { mean, deviation: 3, looks: 4.4, cells: 400, sampled: false, unit, histogram };
}

/** What a step takes and what it makes. */
export interface StepNodes {
  input: NodeView;
  output: NodeView;
  /** The haze map, where the step has one. */
  levels: NodeView | null;
}
const nodeOf = (letter: string, bands: BandInfo[]) => aNode(letter, anImage({ bands }));
/** A step from radar to radar. */
export const RADAR: StepNodes = {
  input: nodeOf("a", [aBand()]),
  output: nodeOf("b", [aBand()]),
  levels: null,
};
const light = (name: string, wavelengthNm: number) =>
  aBand({ name, role: "reflectance", wavelengthNm });
const COLOURS = [light("blue", 485), light("green", 560), light("red", 660), light("nir", 850)];
/** A step that adds an index to bands of light, and has a haze map. */
export const OPTICAL: StepNodes = {
  input: nodeOf("c", COLOURS),
  output: nodeOf("d", [...COLOURS, aBand({ name: "NDVI", role: "value" })]),
  levels: nodeOf("e", [aBand({ name: "haze level", role: "classes" })]),
};

interface Given {
  nodes?: StepNodes;
  /** Means of the fields of nodes, by the first letter of their hashes. */
  means?: Record<string, number>;
  board?: PrepareAnswer;
  /** What else the server answers. */
  other?: Record<string, unknown>;
}

/** A server that holds one board and takes changes as the real one does. */
export function preparingServer({ nodes = RADAR, means = {}, board, other = {} }: Given) {
  let held = board ?? aBoard();
  let refusal: Refusal | null = null;
  let gate: Promise<void> = Promise.resolve();
  const change = async (one: Asked) => {
    if (one.method !== "PATCH") {
      return held;
    }
    await gate;
    if (!refusal) {
      held = { ...held, ...withChanges(stateOf(held), one.as<{ changes: Change[] }>().changes) };
    }
    return refusal ?? held;
  };
  const asked = fakeServer(
    answersTo(other, {
      "/prepare/nodes": { ...nodes, sensor: null },
      "/prepare/reports": { lines: [], warnings: [] },
      "/prepare/runs": { runId: null, items: 0 },
      "/fields": (one: Asked) => fieldOf(means[one.as<{ hash: string }>().hash[0]!] ?? -10),
      "/prepare": change,
    }),
  );
  return {
    asked,
    server: {
      /** Changes wait until what comes back is called. */
      hold: () => {
        let open = () => {};
        gate = new Promise((ok) => {
          open = ok;
        });
        return open;
      },
      refuse: (message: string) => {
        refusal = new Refusal(422, { code: "invalid", message });
      },
      held: () => held,
    },
    patches: () => asked.filter(({ method }) => method === "PATCH"),
  };
}
