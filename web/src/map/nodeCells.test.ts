/** @jest-environment jsdom */
import { utm } from "@hindglance/core/geodesy/crs";
import { northUp } from "@hindglance/core/grid/grid";
import type { NodeView } from "@hindglance/contract/nodes";
import "../testing/page";
import { aNode, anImage } from "../testing/things";
import { tilesKept } from "./layers";
import { NodeCells } from "./nodeCells";
import { sourceOf } from "./tiles";

/** A node of 32 tiles in a row, with so many bands. */
const nodeOf = (letter: string, bands: number): NodeView => {
  const band = { name: "b", unit: "dB", role: "decibel" as const };
  const grid = northUp(utm(27, true), 490000, 5180000, 10, 10, 32 * 512, 512);
  return aNode(letter, anImage({ grid, bands: Array.from({ length: bands }, () => band) }));
};

/** A server whose tiles are all the same bytes; which were asked for. */
function tilesOf(bytes: number) {
  const asked: string[] = [];
  const same = new ArrayBuffer(bytes);
  const fetcher = (address: string) => {
    asked.push(address.split("/").slice(-3).join("/"));
    return Promise.resolve({
      ok: true,
      status: 200,
      arrayBuffer: () => Promise.resolve(same),
    });
  };
  return { asked, fetcher };
}
const MB = 1 << 20;

const moment = () => new Promise((ok) => setTimeout(ok, 20));

/** A server that holds its tiles back until all that were asked for are let go. */
function heldTiles() {
  const { asked, fetcher } = tilesOf(MB);
  const gates: (() => void)[] = [];
  const slow = async (address: string) => {
    const answer = await fetcher(address);
    await new Promise<void>((ok) => gates.push(ok));
    return answer;
  };
  const openAll = async () => {
    while (gates.length > 0) {
      gates.splice(0).forEach((open) => open());
      await moment();
    }
  };
  return { asked, slow, openAll };
}
afterEach(() => Reflect.deleteProperty(globalThis.navigator, "locks"));

test("a tile is fetched once, however many ask at once and later", async () => {
  const { asked, fetcher } = tilesOf(MB);
  const cells = new NodeCells(nodeOf("a", 1), fetcher);
  await Promise.all([cells.tile(0, 0, 0), cells.tile(0, 0, 0)]);
  await cells.tile(0, 0, 0);
  expect(asked).toEqual(["0/0/0"]);
  // Another one of the same node finds it too.
  await new NodeCells(nodeOf("a", 1), fetcher).tile(0, 0, 0);
  expect(asked).toHaveLength(1);
  expect(cells.valueAt(490005, 5179995)).toEqual({ values: [0], level: 0 });
});

test("what could not be fetched, or has other bytes than it should, is asked for again", async () => {
  const { asked, fetcher } = tilesOf(MB);
  let isAway = true;
  const cells = new NodeCells(nodeOf("b", 1), (address) =>
    isAway ? Promise.reject(new Error("Away")) : fetcher(address),
  );
  await expect(cells.tile(0, 0, 0)).rejects.toThrow("Away");
  isAway = false;
  await cells.tile(0, 0, 0);
  expect(asked).toHaveLength(1);
  const short = new NodeCells(nodeOf("c", 2), fetcher);
  await expect(short.tile(0, 0, 0)).rejects.toThrow("has 1048576 bytes, not 2097152");
});

test("what is kept is bounded by its bytes: what was used longest ago goes", async () => {
  const { asked, fetcher } = tilesOf(8 * MB);
  const cells = new NodeCells(nodeOf("d", 8), fetcher);
  for (let col = 0; col < 30; col++) {
    await cells.tile(0, 0, col);
  }
  await cells.tile(0, 0, 29);
  expect(asked).toHaveLength(30);
  await cells.tile(0, 0, 0);
  expect(asked).toHaveLength(31);
});

test.each([
  [1, 96],
  [4, 24],
  [12, 24],
])("a layer of %i bands keeps %i tiles on the graphics card", (bands, tiles) => {
  expect(tilesKept(sourceOf(new NodeCells(nodeOf("e", bands))))).toBe(tiles);
});

test("three tiles at once are on their way, so that settings find a connection; an unwanted one is never asked for", async () => {
  const { asked, slow, openAll } = heldTiles();
  const first = new NodeCells(nodeOf("5", 1), slow);
  const second = new NodeCells(nodeOf("6", 1), slow);
  const left = new AbortController();
  const wanted = [0, 1, 2].flatMap((col) => [first.tile(0, 0, col), second.tile(0, 0, col)]);
  const unwanted = expect(first.tile(0, 0, 3, left.signal)).rejects.toThrow(/abort/i);
  await moment();
  expect(asked).toHaveLength(3);
  left.abort();
  await openAll();
  await Promise.all(wanted);
  await unwanted;
  expect(asked).toHaveLength(6);
});

/** Locks of a browser, which all its pages share: one holder a name, the others in turn. */
function sharedLocks() {
  const last = new Map<string, Promise<unknown>>();
  return {
    request: <T>(name: string, _options: object, work: () => Promise<T>): Promise<T> => {
      const turn = (last.get(name) ?? Promise.resolve()).then(work);
      last.set(
        name,
        turn.catch(() => null),
      );
      return turn;
    },
  };
}

test("two pages of one browser have three tiles on their way together", async () => {
  Object.defineProperty(globalThis.navigator, "locks", {
    configurable: true,
    value: sharedLocks(),
  });
  const { asked, slow, openAll } = heldTiles();
  const wanted: Promise<unknown>[] = [];
  for (let page = 0; page < 2; page++) {
    await jest.isolateModulesAsync(async () => {
      const { NodeCells: OnPage } = await import("./nodeCells");
      const cells = new OnPage(nodeOf("7", 1), slow);
      wanted.push(...[0, 1, 2].map((col) => cells.tile(0, 0, col)));
    });
  }
  await moment();
  expect(asked).toHaveLength(3);
  await openAll();
  await Promise.all(wanted);
  expect(asked).toHaveLength(6);
});
