/** @jest-environment jsdom */
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { emptySetup } from "@hindglance/core/change/defaults";
import type { ChangeSetup, Grouping } from "@hindglance/core/change/setup";
import type { GroupFacts } from "../../api/types";
import { renderPart } from "../../testing/page";
import { GroupClasses } from "./GroupClasses";
import { GroupDesk } from "./GroupDesk";
import { changedClass, firstGrouping, given, regrouped, withClass, withoutClass } from "./grouping";

const grouping: Grouping = {
  ...firstGrouping(),
  classes: [
    { label: 1, name: "Burned", color: "#b85c1e", groups: [2] },
    { label: 2, name: "Green", color: "#2a8f84", groups: [1, 3] },
  ],
};
const setup: ChangeSetup = {
  ...emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false }),
  groups: grouping,
};
const groupsOf = ({ groups }: ChangeSetup) =>
  groups!.classes.map((one) => `${one.name}: ${one.groups.join()}`);

describe("groups", () => {
  test("belong to one class: what is given to one is taken from the other", () => {
    expect(groupsOf(given(3, 1)(setup))).toEqual(["Burned: 2,3", "Green: 1"]);
    expect(groupsOf(given(1, 0)(setup))).toEqual(["Burned: 2", "Green: 3"]);
  });
  test("made in another way belong to no class: their numbers mean others", () => {
    const changed = regrouped({ groups: 8 })(setup);
    expect(changed.groups!.groups).toBe(8);
    expect(groupsOf(changed)).toEqual(["Burned: ", "Green: "]);
  });
  test("of classes come and go, with free labels", () => {
    expect(withClass(setup).groups!.classes.at(-1)).toMatchObject({ label: 3, groups: [] });
    expect(groupsOf(withoutClass(1)(setup))).toEqual(["Green: 1,3"]);
    expect(changedClass(2, { color: "#000000" })(setup).groups!.classes[1]!.color).toBe("#000000");
  });
});

const facts: GroupFacts = {
  bands: [
    { name: "NIR", unit: "", wavelengthNm: 833 },
    { name: "SWIR", unit: "", wavelengthNm: 1614 },
  ],
  groups: [1, 2].map((group) => ({
    group,
    color: "#777777",
    share: group / 4,
    before: [0.3, 0.1],
    after: [0.1, group === 1 ? 0.2 : null],
  })),
  cells: 100,
};

function showDesk(more: Partial<Parameters<typeof GroupDesk>[0]> = {}) {
  const changes: ChangeSetup[] = [];
  const hidden: number[][] = [];
  renderPart(
    <GroupDesk
      head={null}
      lower={null}
      classes={false}
      grouping={grouping}
      facts={facts}
      error={null}
      seenM2={4e6}
      areas={null}
      exact
      hidden={new Set()}
      setHidden={(groups) => hidden.push([...groups])}
      show="groups"
      setShow={() => {}}
      change={(apply) => changes.push(apply(setup))}
      {...more}
    />,
  );
  return { changes, hidden };
}

describe("the desk of groups", () => {
  test("lists each with its share, its area and its curves in words", () => {
    showDesk();
    const [first] = within(screen.getByRole("list", { name: "Groups found" })).getAllByRole(
      "listitem",
    );
    expect(first!.textContent).toContain("25.0 %");
    expect(first!.textContent).toContain("≈1.00");
    expect(
      screen.getByRole("img", {
        name: "Group 2: before NIR 0.300, SWIR 0.100; after NIR 0.100, SWIR none",
      }),
    ).toBeTruthy();
  });
  test("switches one off on the map", async () => {
    const { hidden } = showDesk();
    await userEvent.click(screen.getByRole("button", { name: "Group 2 on the map" }));
    expect(hidden).toEqual([[2]]);
  });
  test("gives one to a class", async () => {
    const { changes } = showDesk();
    await userEvent.click(screen.getByRole("combobox", { name: "Class of group 1" }));
    await userEvent.click(screen.getByRole("option", { name: "Burned" }));
    expect(groupsOf(changes[0]!)).toEqual(["Burned: 1,2", "Green: 3"]);
  });
  test("takes whole numbers of groups only", async () => {
    const { changes } = showDesk();
    const field = screen.getByLabelText("Number of groups");
    await userEvent.clear(field);
    await userEvent.type(field, "3.5{Enter}");
    expect(screen.getByRole("alert").textContent).toBe("A whole number from 2 to 24");
    await userEvent.clear(field);
    await userEvent.type(field, "5{Enter}");
    expect(changes.map(({ groups }) => groups!.groups)).toEqual([5]);
  });
  test("says what is wrong in place of groups, and that it waits", () => {
    showDesk({ error: "No band fits", facts: null });
    expect(screen.getByRole("alert").textContent).toBe("No band fits");
    expect(screen.queryByText("Grouping cells …")).toBeNull();
  });
});

describe("classes of groups", () => {
  const show = () => {
    const changes: ChangeSetup[] = [];
    renderPart(
      <GroupClasses
        head={null}
        classes={grouping.classes}
        areas={{ 1: { areaM2: 2.5e6 } }}
        exact={false}
        change={(apply) => changes.push(apply(setup))}
      />,
    );
    return changes;
  };
  test("have their area, wavy while it is of the overview", () => {
    show();
    expect(screen.getByLabelText("Area of Burned").textContent).toContain("≈2.50");
    expect(screen.getByText("groups 1, 3")).toBeTruthy();
  });
  test("cannot have the name of another: what was typed is taken back", async () => {
    const changes = show();
    const field = screen.getByLabelText<HTMLInputElement>("Name of class 1");
    await userEvent.clear(field);
    await userEvent.type(field, "green");
    expect(screen.getByRole("alert")).toBeTruthy();
    await userEvent.keyboard("{Enter}");
    expect(changes).toEqual([]);
    expect(field.value).toBe("Burned");
  });
  test("get a name of their own", async () => {
    const changes = show();
    const field = screen.getByLabelText("Name of class 1");
    await userEvent.clear(field);
    await userEvent.type(field, "Scar{Enter}");
    expect(changes[0]!.groups!.classes[0]!.name).toBe("Scar");
  });
});
