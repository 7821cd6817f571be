/** @jest-environment jsdom */
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { elevationOfChain, withElevation } from "@hindglance/core/chain/radarChain";
import type { PrepareState } from "@hindglance/contract/prepare";
import { renderPart } from "../testing/page";
import { aBoard } from "../testing/preparing";
import { idOf } from "../testing/things";
import { UnusedElevation } from "./UnusedElevation";
import { labelled } from "./chainState";

const heights = { id: idOf(7), name: "Heights of the island" };

function show(board: ReturnType<typeof aBoard>) {
  const set: PrepareState[] = [];
  renderPart(
    <UnusedElevation
      view={{ ...board, rows: labelled(board.rows) }}
      set={(state) => set.push(state)}
    />,
  );
  return set;
}

test("an elevation that came later is offered, and taken into the steps that need it", async () => {
  const board = aBoard({ elevations: [heights] });
  const set = show(board);
  expect(screen.getByText("Heights of the island")).toBeTruthy();
  await userEvent.click(screen.getByRole("button", { name: "Flatten and place by it" }));
  const { chain, exceptions, heldOut } = set[0]!;
  expect([elevationOfChain(chain), exceptions, heldOut]).toEqual([heights.id, {}, []]);
  expect(chain.flatten!.on).toBe(true);
  expect(chain.calibrate).toMatchObject({ on: true, to: "beta" });
  // All else is as it was.
  const { calibrate: _c, flatten: _f, terrain: _t, ...others } = chain;
  expect(board.chain).toMatchObject(others);
});
test("where it is used, or there is none, nothing is offered", () => {
  show(aBoard());
  const used = withElevation(aBoard().chain, heights.id);
  show(aBoard({ elevations: [heights], chain: used }));
  expect(screen.queryByRole("button")).toBeNull();
});
