import { northUp } from "@hindglance/core/grid/grid";
import { utm } from "@hindglance/core/geodesy/crs";
import { floodChain } from "@hindglance/core/chain/radarChain";
import { type PrepareState, changed, deskOf } from "./chainState";
import { settingText } from "@hindglance/core/chain/family";

const base: PrepareState = {
  chain: floodChain(northUp(utm(27, true), 490000, 5180000, 10, 10, 100, 80), {
    elevationId: null,
    looks: 4.36,
    rangeLooks: 1,
    azimuthLooks: 1,
  }),
  exceptions: {},
  heldOut: [],
};

describe("changes of a chain", () => {
  test("for every date", () => {
    const state = changed(base, "looks", { on: true, rangeLooks: 4 }, null);
    expect([state.chain.looks, base.chain.looks!.on, state.exceptions]).toEqual([
      { on: true, rangeLooks: 4, azimuthLooks: 1 },
      false,
      {},
    ]);
  });
  test("for one date: only what differs is kept, and what comes back to the chain is no exception", () => {
    const one = changed(base, "speckle", { on: true, filter: "median" }, "x");
    expect([one.chain, one.exceptions]).toEqual([
      base.chain,
      { x: { speckle: { on: true, filter: "median" } } },
    ]);
    const two = changed(
      one,
      "speckle",
      { filter: (base.chain.speckle as unknown as { filter: string }).filter },
      "x",
    );
    expect(two.exceptions).toEqual({ x: { speckle: { on: true } } });
    expect(changed(two, "speckle", { on: false }, "x").exceptions).toEqual({});
  });
  test("settings in a few characters", () => {
    expect(
      (["noise", "calibrate", "looks", "terrain", "speckle"] as const).map((s) =>
        settingText("radar", base.chain, s),
      ),
    ).toEqual(["subtract", "γ⁰ · all", "skipped", "10 m", "skipped"]);
    expect(
      settingText(
        "radar",
        changed(base, "speckle", { on: true, filter: "gammaMap", windowCells: 5 }, null).chain,
        "speckle",
      ),
    ).toBe("Gamma MAP 5");
  });
  test("what was before can be taken back, once a change", () => {
    const desk = deskOf("s", "radar");
    desk.remember(base);
    desk.remember({ ...base, heldOut: ["a"] });
    expect([desk.back()?.heldOut, desk.back()?.heldOut, desk.back()]).toEqual([["a"], [], null]);
  });
});
