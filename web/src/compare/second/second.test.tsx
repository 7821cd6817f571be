/** @jest-environment jsdom */
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { saidLabel } from "@hindglance/core/change/confirmed";
import type { SecondSensor } from "@hindglance/core/change/second";
import { pickOption, renderPart, typeInto } from "../../testing/page";
import { ConfirmsFields } from "./ConfirmsFields";
import { SecondShares } from "./SecondShares";

const classes = [
  { label: 1, name: "New water", color: "#c8246f" },
  { label: 2, name: "Reeds in water", color: "#2a8f84" },
];
const begin = { layer: "secondAfter", op: ">", value: 0 } as const;
const second: SecondSensor = {
  ...{ beforeId: null, afterId: "a", look: { index: "ndwi" } },
  confirms: { labels: [1], ...begin },
};

describe("what confirms which classes", () => {
  const show = (own: SecondSensor) => {
    const change = jest.fn();
    renderPart(<ConfirmsFields second={own} classes={classes} begin={begin} change={change} />);
    return change;
  };

  test("is a condition on what the second sensor saw, and classes", async () => {
    const change = show(second);
    await userEvent.click(screen.getByRole("button", { name: "Reeds in water" }));
    expect(change).toHaveBeenLastCalledWith({ labels: [1, 2], ...begin });
    await pickOption("Side that confirms", "<");
    expect(change).toHaveBeenLastCalledWith({ labels: [1], ...begin, op: "<" });
    await typeInto("Value that confirms", "0.25{Enter}");
    expect(change).toHaveBeenLastCalledWith({ labels: [1], ...begin, value: 0.25 });
  });

  test("one class is asked about at least; without a scene before there is no change to look at", async () => {
    show(second);
    expect(screen.getByRole("button", { name: "New water" }).hasAttribute("disabled")).toBe(true);
    await userEvent.click(screen.getByRole("combobox", { name: "Layer that confirms" }));
    expect(screen.getAllByRole("option").map((one) => one.textContent)).toEqual([
      "second sensor after",
    ]);
  });

  test("is begun by a button", async () => {
    const change = show({ ...second, confirms: null });
    await userEvent.click(screen.getByRole("button", { name: "Ask about classes" }));
    expect(change).toHaveBeenCalledWith({ labels: [1], ...begin });
  });
});

describe("what it says", () => {
  const tally = {
    zones: 1,
    entries: [
      [saidLabel(0, "confirmed"), 60, 6e6],
      [saidLabel(0, "against"), 20, 2e6],
      [saidLabel(0, "unseen"), 120, 12e6],
    ] as [number, number, number][],
  };
  test("stands in areas and shares, and of what it saw", () => {
    renderPart(<SecondShares tally={tally} confirms={{ labels: [1] }} classes={classes} />);
    const row = within(screen.getByRole("group", { name: "What it says of New water" }));
    expect(row.getByText("75 % of what it saw confirmed")).toBeTruthy();
    expect(row.getAllByRole("listitem").map((one) => one.textContent)).toEqual([
      expect.stringMatching(/^confirmed6\.00.km²30 %$/),
      expect.stringMatching(/^not confirmed2\.00.km²10 %$/),
      expect.stringMatching(/^not seen12\.00.km²60 %$/),
    ]);
  });
  test("of several classes, their sum too; of a class without cells, that", () => {
    renderPart(<SecondShares tally={tally} confirms={{ labels: [1, 2] }} classes={classes} />);
    expect(screen.getByText("Reeds in water: no cell of this class.")).toBeTruthy();
    expect(screen.getByRole("group", { name: "What it says of All of these" })).toBeTruthy();
  });
  test("is not there before it is counted", () => {
    renderPart(
      <SecondShares tally={null} confirms={{ labels: [1] }} classes={classes} running={0.4} />,
    );
    expect(screen.getByRole("status").textContent).toBe("Counting what it says … 40 %");
  });
});
