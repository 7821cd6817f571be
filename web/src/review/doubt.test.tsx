/** @jest-environment jsdom */
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { DECIBEL } from "../compare/units";
import { renderPart } from "../testing/page";
import { NOT_DOUBTED, aChangeMap } from "../testing/things";
import { DoubtChip } from "./DoubtOnMap";
import { PatchDoubt, doubtText } from "./PatchDoubt";

const map = aChangeMap();
const patch = {
  ...{ number: 3, label: 1, cells: 40, areaM2: 16_000, perimeterM: 900, measure: -7.2 },
  ...{ elevation: null, standing: "open" as const },
  ...{ west: 20, south: -31, east: 20.1, north: -30.9 },
  ...NOT_DOUBTED,
};
const DOUBTED = {
  ...{ certainty: 0.88, edgeShare: 0.345 },
  ...{ earlierAlike: 1, earlierSeen: 2, laterAlike: 1, laterSeen: 1 },
};

describe("the doubt of a patch", () => {
  test("is one figure, and says why when it is asked", async () => {
    renderPart(<PatchDoubt map={map} patch={{ ...patch, ...DOUBTED }} unit={DECIBEL} />);
    await userEvent.tab();
    expect(screen.getByRole("button").textContent).toBe("doubt 12 %");
    const text = (await screen.findByRole("tooltip")).textContent;
    expect(text).toContain("12 % are expected to be something else");
    expect(text).toContain("35 % of its cells lie at its edge");
    expect(text).toContain("As before on 1 of 2 earlier dates");
    expect(text).toContain("As after on 1 of 1 later date");
    const { value } = map.setup.rules[0]!.all[0]!;
    expect(text).toContain(`beyond the threshold of −${Math.abs(value).toFixed(1)}`);
  });
  test("is not shown until it is counted", () => {
    const { container } = renderPart(<PatchDoubt map={map} patch={patch} unit={DECIBEL} />);
    expect(container.textContent).toBe("");
  });
  test("is no nought where there is a little of it", () => {
    expect([0, 0.004, 0.12, 1].map(doubtText)).toEqual(["0 %", "< 1 %", "12 %", "100 %"]);
  });
});

test("doubt is shown on the map once it is counted", async () => {
  const said: boolean[] = [];
  const show = (isShown: boolean) => said.push(isShown);
  const { unmount } = renderPart(<DoubtChip map={map} isShown={false} show={show} />);
  await userEvent.click(screen.getByRole("button", { name: "doubt" }));
  unmount();
  const doubt = {
    ...{ imageId: "i2", countedAt: "2025-05-15T08:00:00Z", others: [] },
    sums: { zones: 1, entries: [] },
  };
  renderPart(<DoubtChip map={{ ...map, doubt }} isShown={false} show={show} />);
  await userEvent.click(screen.getByRole("button", { name: "doubt" }));
  expect(said).toEqual([true]);
});
