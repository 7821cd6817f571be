/** @jest-environment jsdom */
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ClassRule } from "@hindglance/core/change/rules";
import { renderPart } from "../../testing/page";
import { aScene, anImage } from "../../testing/things";
import { DECIBEL } from "../units";
import { ConditionRow } from "./ConditionRow";
import { EditClass } from "./EditClass";
import { layersOf, newClass, withCondition } from "./changes";

const rule: ClassRule = {
  label: 1,
  name: "New water",
  color: "#c8246f",
  all: [
    { layer: "measure", op: "<", value: -6 },
    { layer: "after", op: "<", value: -17 },
  ],
};
const cover = aScene({
  id: "c",
  kind: "classes",
  info: anImage({
    type: "class8",
    classes: [
      { label: 4, name: "Crops", color: "#00ff00" },
      { label: 7, name: "Wood", color: "#008800" },
    ],
  }),
});

describe("rules", () => {
  test("get labels that are free", () => {
    expect(newClass([{ label: 1 }, { label: 5 }])).toMatchObject({ label: 6, name: "Class 6" });
    expect(newClass([]).label).toBe(1);
  });
  test("look at what the study has", () => {
    const nothing = { hasElevation: false, hasCover: false, hasCross: false, hasSecond: false };
    expect(layersOf(nothing).slice(0, 3)).toEqual(["before", "after", "measure"]);
    for (const layer of ["slope", "drainage", "cover", "crossBefore", "apart"]) {
      expect(layersOf(nothing)).not.toContain(layer);
    }
    expect(layersOf({ ...nothing, hasElevation: true })).toEqual(
      expect.arrayContaining(["slope", "drainage"]),
    );
    expect(layersOf({ ...nothing, hasCover: true })).toContain("cover");
    expect(layersOf({ ...nothing, hasCross: true })).toContain("apart");
  });
  test("change one condition and no other", () => {
    const changed = withCondition(1, { value: -19 })(rule);
    expect(changed.all).toEqual([rule.all[0], { layer: "after", op: "<", value: -19 }]);
    expect(rule.all[1]!.value).toBe(-17);
  });
});

/** Renders with what a change makes of the rule. */
function follow() {
  const rules: ClassRule[] = [];
  const onChange = (apply: (old: ClassRule) => ClassRule) => rules.push(apply(rule));
  return { rules, onChange };
}

describe("a condition", () => {
  const show = (covers: (typeof cover)[], chosen: typeof cover | null, index = 0) => {
    const { rules, onChange } = follow();
    const picked: string[] = [];
    renderPart(
      <ConditionRow
        rule={rule}
        index={index}
        layers={["before", "after", "measure", "cover"]}
        covers={covers}
        cover={chosen}
        pickCover={(id) => picked.push(id)}
        unit={DECIBEL}
        start={-17}
        onChange={onChange}
      />,
    );
    return { rules, picked };
  };
  const choose = async (label: string, option: string) => {
    await userEvent.click(screen.getByRole("combobox", { name: label }));
    await userEvent.click(screen.getByRole("option", { name: option }));
  };
  test("over land cover begins with the first class, and takes the raster there is", async () => {
    const { rules, picked } = show([cover], null);
    await choose("Layer", "land cover");
    expect(rules[0]!.all[0]).toEqual({ layer: "cover", op: "=", value: 4 });
    expect(picked).toEqual(["c"]);
  });
  test("keeps its number when only the layer changes", async () => {
    const { rules } = show([], null);
    await choose("Layer", "before");
    expect(rules[0]!.all[0]).toEqual({ layer: "before", op: "<", value: -6 });
  });
  test("takes another comparison, another value, and can go", async () => {
    const { rules } = show([], null, 1);
    await choose("Comparison", "≥");
    const field = screen.getByLabelText("Value");
    await userEvent.clear(field);
    await userEvent.type(field, "-18,5{Enter}");
    await userEvent.click(screen.getByRole("button", { name: "Remove condition" }));
    expect(rules.map(({ all }) => all[1])).toEqual([
      { layer: "after", op: ">=", value: -17 },
      { layer: "after", op: "<", value: -18.5 },
      undefined,
    ]);
  });
});

describe("a class", () => {
  const open = async (only = false) => {
    const { rules, onChange } = follow();
    let deleted = false;
    renderPart(
      <EditClass
        covers={[]}
        cover={null}
        pickCover={() => {}}
        unit={DECIBEL}
        start={-17}
        rule={rule}
        taken={["standing water"]}
        only={only}
        layers={["measure"]}
        onChange={onChange}
        onDelete={() => {
          deleted = true;
        }}
      />,
    );
    await userEvent.click(screen.getByRole("button", { name: "New water" }));
    return { rules, isDeleted: () => deleted };
  };
  const type = async (text: string) => {
    const field = screen.getByLabelText("Name");
    await userEvent.clear(field);
    await userEvent.type(field, text);
  };
  test("gets another name on Enter", async () => {
    const { rules } = await open();
    await type("Flood{Enter}");
    expect(rules.map(({ name }) => name)).toEqual(["Flood"]);
  });
  test("cannot be called as another one is", async () => {
    const { rules } = await open();
    await type("Standing  Water");
    expect(screen.getByRole("alert").textContent).toMatch(/^Another class has this name/);
    await userEvent.keyboard("{Enter}");
    expect(rules).toEqual([]);
    expect(screen.getByLabelText<HTMLInputElement>("Name").value).toBe("New water");
  });
  test("gets one more condition, on the after date", async () => {
    const { rules } = await open();
    await userEvent.click(screen.getByRole("button", { name: "Add condition" }));
    expect(rules[0]!.all.at(-1)).toEqual({ layer: "after", op: "<", value: -17 });
  });
  test("is deleted, unless it is the only one", async () => {
    const { isDeleted } = await open();
    await userEvent.click(screen.getByRole("button", { name: "Delete class" }));
    expect(isDeleted()).toBe(true);
  });
  test("that is the only one stays", async () => {
    await open(true);
    const button = screen.getByRole<HTMLButtonElement>("button", { name: "Delete class" });
    expect(button.disabled).toBe(true);
  });
});
