/** @jest-environment jsdom */
import { act, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { keys } from "../api/hooks";
import { useShownMap } from "../state/shownMap";
import { answersTo, fakeServer, giveSizes, pickOption, renderPage } from "../testing/page";
import { NOTHING_SAID, aChangeMap, aNode, aStudy } from "../testing/things";
import { TallyPage } from "./TallyPage";

giveSizes(500, 260);

const study = aStudy();
const second = aChangeMap({ id: "m2", name: "Second look", patchCount: 5 });
const address = () => screen.getByLabelText("address").textContent;
const open = (at = "/", more: Record<string, unknown> = {}) => {
  const table = {
    "/change-maps": [aChangeMap(), second],
    "/node": aNode("a", aChangeMap().info),
    "/standing": NOTHING_SAID,
  };
  fakeServer(answersTo(more, table));
  return renderPage(<TallyPage />, { at, context: study });
};

beforeEach(() => useShownMap.setState({ ids: {} }));

describe("the Tally page", () => {
  test("says the area of the first class, its share, and how much was seen", async () => {
    open();
    const head = await screen.findByRole("heading", { level: 1 });
    expect(head.textContent).toBe("3.00\u2009km² new water 30.0 % of 10.00\u2009km² seen");
    expect(screen.getByText(/^22 patches\. Areas are sums of cell areas/)).toBeTruthy();
  });

  test("stays with its map when another one is written meanwhile", async () => {
    const { client } = open();
    await screen.findByText(/^22 patches\./);
    const newer = aChangeMap({ id: "m9", name: "Newer", patchCount: 9 });
    act(() => {
      client.setQueryData(keys.maps(study.id), [newer, aChangeMap(), second]);
    });
    expect(screen.getByText(/^22 patches\./)).toBeTruthy();
    await pickOption("Change map", "Newer");
    expect(await screen.findByText(/^9 patches\./)).toBeTruthy();
    act(() => {
      client.setQueryData(keys.maps(study.id), [second]);
    });
    expect(await screen.findByText(/^5 patches\./)).toBeTruthy();
  });

  test("counts in other units", async () => {
    open();
    const row = await screen.findByRole("row", { name: /^Lowfen/ });
    const cells = () =>
      within(row)
        .getAllByRole("cell")
        .map((cell) => cell.textContent);
    await userEvent.click(screen.getByRole("radio", { name: "ha" }));
    expect(cells()[1]).toBe("300.0");
    await userEvent.click(screen.getByRole("radio", { name: /^m²$/ }));
    expect(cells()[1]!.replace(/\D/g, "")).toBe("3000000");
    await userEvent.click(screen.getByRole("radio", { name: /cells/i }));
    expect(cells()[1]).toBe("300");
  });

  test("by verdict: rejected patches are apart, and can be left out of the areas", async () => {
    open("/", {
      "/standing": {
        ...NOTHING_SAID,
        reviewers: [{ reviewer: "Ann", patches: 2 }],
        areas: [
          { zone: null, label: 1, standing: "open", patches: 3, cells: 250, areaM2: 2.5e6 },
          { zone: null, label: 1, standing: "false", patches: 1, cells: 50, areaM2: 0.5e6 },
          { zone: null, label: 2, standing: "real", patches: 1, cells: 100, areaM2: 1e6 },
        ],
      },
    });
    const table = await screen.findByRole("table", { name: "Areas by verdict" });
    const cells = within(table)
      .getAllByRole("cell")
      .map((cell) => cell.textContent);
    expect(cells).toEqual(["·", "2.500", "0.500", "1.000", "·", "·"]);
    await userEvent.click(screen.getByRole("radio", { name: "Without rejected" }));
    const head = screen.getByRole("heading", { level: 1 });
    expect(head.textContent).toBe("2.50\u2009km² new water 25.0 % of 10.00\u2009km² seen");
    const whole = screen.getByRole("row", { name: /^All/ });
    expect(within(whole).getAllByRole("cell").at(-2)!.textContent).toBe("0.500");
  });

  test("shows one class alone on the map, and all again", async () => {
    open();
    await userEvent.click(await screen.findByRole("button", { name: "Standing water" }));
    expect(screen.getByText("only").textContent).toBe("Standing water only");
    await userEvent.click(screen.getByRole("button", { name: "Standing water" }));
    expect(screen.queryByText("only")).toBeNull();
  });

  test("another map is picked, and the address names it", async () => {
    open();
    await screen.findByText(/^22 patches/);
    await pickOption("Change map", /Second look/);
    await screen.findByText(/^5 patches/);
    expect(address()).toBe("/?map=m2");
  });

  test("a map that the address names is shown first", async () => {
    open("/?map=m2");
    await screen.findByText(/^5 patches/);
  });

  test("the table is copied as text with tabs", async () => {
    open();
    const user = userEvent.setup();
    await user.click(await screen.findByRole("button", { name: "Copy table" }));
    await waitFor(async () =>
      expect(await navigator.clipboard.readText()).toMatch(/^zone\tNo change\tNew water/),
    );
  });

  test("leads to the files of the map that is shown", async () => {
    open("/?map=m2");
    await screen.findByText(/^5 patches/);
    await userEvent.click(screen.getByRole("button", { name: "Make files" }));
    expect(address()).toBe(`/studies/${study.id}/report?map=m2`);
  });

  test("without a map leads to where one is written", async () => {
    open("/", { "/change-maps": [] });
    await userEvent.click(await screen.findByRole("button", { name: "Go to Compare" }));
    expect(address()).toBe(`/studies/${study.id}/compare`);
  });
});
