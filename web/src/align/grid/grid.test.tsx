/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { PrepareAnswer } from "@hindglance/contract/prepare";
import { gridOf } from "@hindglance/core/chain/family";
import { utm } from "@hindglance/core/geodesy/crs";
import { northUp } from "@hindglance/core/grid/grid";
import { renderPart, typeInto } from "../../testing/page";
import { OTHER, SCENE, aBoard, preparingServer } from "../../testing/preparing";
import { aScene, aSensor, aStudy, anImage } from "../../testing/things";
import { GridDesk } from "./GridDesk";
import { cellDecimals, gridWords } from "./gridWords";

// 10 m cells along the ground and 20 m across make cells of 20 m on the map.
const sensor = aSensor({ sampleSpacingM: 10, lineSpacingM: 20 });
const radar = [SCENE, OTHER].map((id) => aScene({ id, imageId: id, info: anImage({ sensor }) }));
const grid = northUp(utm(27, true), 490_000, 5_180_000, 10, 10, 100, 80);

const show = (scenes = radar, board: PrepareAnswer = aBoard()) => {
  const server = preparingServer({ board });
  renderPart(<GridDesk study={aStudy()} scenes={scenes} reference={grid} />);
  const cellM = () => gridOf("radar", server.server.held().chain).transform[1];
  return { ...server, cellM };
};

describe("the grid in words", () => {
  test("is cells, their size and the system", () => {
    expect(gridWords(grid)).toBe("100 × 80 cells of 10 m, WGS 84 / UTM zone 27S");
    expect(gridWords(anImage().grid)).toBe("10 × 10 cells of 0.01000 °, WGS 84");
  });
  test("has decimals where cells have parts", () => {
    expect([0.0001, 2.5, 30].map(cellDecimals)).toEqual([5, 1, 0]);
  });
});

describe("the study grid", () => {
  test("is the reference's own where nothing is prepared", () => {
    show([aScene({ imageId: "i" })]);
    expect(screen.getByText(/compared on the cells of the reference: 100 × 80 cells/)).toBeTruthy();
  });

  test("takes another cell size for all dates at once, within bounds", async () => {
    const { cellM, patches } = show();
    await screen.findByLabelText("Cell size of radar dates");
    await typeInto("Cell size of radar dates", "0{Enter}");
    expect(screen.getByRole("alert").textContent).toBe("A whole number from 1 to 5000");
    expect(patches()).toEqual([]);
    await typeInto("Cell size of radar dates", "25{Enter}");
    await waitFor(() => expect(cellM()).toBe(25));
    expect(screen.getByText(/No date is run on this grid yet/)).toBeTruthy();
  });

  test("offers the images' own cells", async () => {
    const { cellM } = show();
    await screen.findByText(/^The images' own: /);
    await userEvent.click(screen.getByRole("button", { name: "Take them" }));
    await waitFor(() => expect(cellM()).not.toBe(10));
    expect(await screen.findByText(/^These are the images' own cells/)).toBeTruthy();
  });

  test("says how many dates are to be run anew", async () => {
    const board = aBoard();
    const [first, second] = board.rows;
    show(radar, { ...board, rows: [{ ...first!, ready: true }, second!] });
    expect(await screen.findByText("1 date is to be run anew in Prepare.")).toBeTruthy();
  });
});
