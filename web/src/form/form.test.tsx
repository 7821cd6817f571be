/** @jest-environment jsdom */
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { Field } from "@hindglance/core/form/fields";
import * as yup from "yup";
import { renderPart } from "../testing/page";
import { AmountSetting, HectaresSetting, OpenEndSetting, SomeOfSetting } from "./AmountSettings";
import { ChoiceSetting, PickSetting, SwitchSetting, SwitchesSetting } from "./ChoiceSettings";
import { NumberSetting } from "./NumberSetting";

type Of<Kind> = Extract<Field, { kind: Kind }>;

/** Takes down what a field changes. */
function recorder() {
  const changes: Record<string, unknown>[] = [];
  return { changes, change: (some: Record<string, unknown>) => void changes.push(some) };
}

const type = async (label: string, text: string) => {
  const field = screen.getByLabelText(label);
  await userEvent.clear(field);
  await userEvent.type(field, `${text}{Enter}`);
  return field;
};

describe("a choice", () => {
  const field: Of<"choice"> = {
    kind: "choice",
    at: "polarisations",
    label: "Polarisations",
    options: [
      { value: null, name: "All" },
      { value: ["VV"], name: "VV" },
      { value: ["VH"], name: "VH", hint: "Cross-polarised" },
    ],
  };
  const checked = () =>
    screen.getAllByRole("radio").find((radio) => radio.getAttribute("aria-checked") === "true")
      ?.textContent;
  test("shows what is set, lists and nothing among the values", () => {
    const { change } = recorder();
    renderPart(<ChoiceSetting field={field} own={{ polarisations: ["VH"] }} change={change} />);
    expect(checked()).toBe("VH");
    expect(screen.getByTitle("Cross-polarised").textContent).toBe("VH");
  });
  test("gives the value and not its text", async () => {
    const { change, changes } = recorder();
    renderPart(<ChoiceSetting field={field} own={{ polarisations: null }} change={change} />);
    expect(checked()).toBe("All");
    await userEvent.click(screen.getByText("VV"));
    expect(changes).toEqual([{ polarisations: ["VV"] }]);
  });
  test("a setting that is absent stands for the usual one", () => {
    const { change } = recorder();
    const usual: Of<"choice"> = { ...field, at: "resampling", usual: null };
    renderPart(<ChoiceSetting field={usual} own={{}} change={change} />);
    expect(checked()).toBe("All");
  });
  test("arrow keys go around", async () => {
    const { change, changes } = recorder();
    renderPart(<ChoiceSetting field={field} own={{ polarisations: null }} change={change} />);
    screen.getByText("All").focus();
    await userEvent.keyboard("{ArrowLeft}");
    expect(changes).toEqual([{ polarisations: ["VH"] }]);
  });
});

test("one of many is picked by its name, and given as its value", async () => {
  const { change, changes } = recorder();
  const field: Of<"pick"> = {
    kind: "pick",
    at: "label",
    label: "Drops",
    name: "Class that is dropped",
    options: [
      { value: 1, name: "New water" },
      { value: 2, name: "Standing water" },
    ],
  };
  renderPart(<PickSetting field={field} own={{ label: 1 }} change={change} />);
  await userEvent.click(screen.getByRole("combobox", { name: "Class that is dropped" }));
  await userEvent.click(await screen.findByRole("option", { name: "Standing water" }));
  expect(changes).toEqual([{ label: 2 }]);
});

test("a switch gives yes and no", async () => {
  const { change, changes } = recorder();
  const field: Of<"switch"> = { kind: "switch", at: "keep", label: "Keep the bands" };
  renderPart(<SwitchSetting field={field} own={{ keep: true }} change={change} />);
  await userEvent.click(screen.getByText("Off"));
  expect(changes).toEqual([{ keep: false }]);
});

test("switches are each their own", async () => {
  const { change, changes } = recorder();
  const field: Of<"switches"> = {
    kind: "switches",
    label: "What is masked",
    switches: [
      { at: "cloud", label: "Cloud" },
      { at: "snow", label: "Snow" },
    ],
  };
  renderPart(<SwitchesSetting field={field} own={{ cloud: true, snow: false }} change={change} />);
  const group = screen.getByRole("group", { name: "What is masked" });
  const pressed = within(group)
    .getAllByRole("button")
    .map((button) => button.getAttribute("aria-pressed"));
  expect(pressed).toEqual(["true", "false"]);
  await userEvent.click(screen.getByText("Snow"));
  await userEvent.click(screen.getByText("Cloud"));
  expect(changes).toEqual([{ snow: true }, { cloud: false }]);
});

describe("a number of a step", () => {
  const schema = yup.object({
    looks: yup.number().min(0.5).max(1000).required(),
    strength: yup.number().min(0.1).max(1.5).required(),
    cells: yup.number().integer().min(0).max(32).required(),
  });
  const show = (field: Of<"number">, own: object, measured: number | null = null) => {
    const { change, changes } = recorder();
    renderPart(
      <NumberSetting
        field={field}
        schema={schema}
        own={{ ...own }}
        measured={measured}
        change={change}
      />,
    );
    return changes;
  };
  test("keeps to the bounds of its schema, and says so at the field", async () => {
    const changes = show({ kind: "number", at: "cells", label: "Widen by", step: 1 }, { cells: 2 });
    await type("Widen by", "40");
    expect(screen.getByRole("alert").textContent).toBe("A whole number from 0 to 32");
    await type("Widen by", "2.5");
    expect(changes).toEqual([]);
    await type("Widen by", "12");
    expect(changes).toEqual([{ cells: 12 }]);
  });
  test("is shown and typed in hundredths where it is a share", async () => {
    const changes = show(
      { kind: "number", at: "strength", label: "Taken off", step: 10, percent: true },
      { strength: 0.9 },
    );
    expect(screen.getByLabelText<HTMLInputElement>("Taken off").value).toBe("90");
    await type("Taken off", "160");
    expect(screen.getByRole("alert").textContent).toBe("A whole number from 10 to 150");
    await type("Taken off", "75");
    expect(changes).toEqual([{ strength: 0.75 }]);
  });
  test("takes a measured number over, rounded, where it differs", async () => {
    const field: Of<"number"> = {
      kind: "number",
      at: "looks",
      label: "Equivalent looks",
      step: 0.5,
      measured: "looks",
    };
    const changes = show(field, { looks: 4 }, 4.37);
    await userEvent.click(screen.getByText("Take 4.4"));
    expect(changes).toEqual([{ looks: 4.4 }]);
  });
  test("offers nothing where the measured number is the same", () => {
    show({ kind: "number", at: "looks", label: "Looks", step: 0.5 }, { looks: 4.4 }, 4.42);
    expect(screen.queryByText(/^Take/)).toBeNull();
  });
});

describe("amounts of limits", () => {
  test("an amount stands with its unit and keeps to its bounds", async () => {
    const { change, changes } = recorder();
    const field: Of<"amount"> = {
      kind: "amount",
      at: "maxSlopeDeg",
      label: "At most",
      name: "Slope in degrees",
      unit: "°",
      min: 0.1,
      max: 90,
      step: 0.5,
      decimals: 1,
    };
    renderPart(<AmountSetting field={field} own={{ maxSlopeDeg: 5 }} change={change} />);
    await type("Slope in degrees", "91");
    expect(changes).toEqual([]);
    await type("Slope in degrees", "7,5");
    expect(changes).toEqual([{ maxSlopeDeg: 7.5 }]);
  });
  test("hectares are cells, no fewer than the least", async () => {
    const { change, changes } = recorder();
    const field: Of<"hectares"> = {
      kind: "hectares",
      at: "minPatchCells",
      label: "At least",
      name: "Patch size",
      leastCells: 2,
    };
    renderPart(
      <HectaresSetting field={field} own={{ minPatchCells: 12 }} cellM2={400} change={change} />,
    );
    // 12 cells of 400 m² are 0.48 ha.
    expect(screen.getByLabelText<HTMLInputElement>("Patch size").value).toBe("0.48");
    expect(screen.getByText(/ha = 12 cells/)).toBeTruthy();
    await type("Patch size", "1");
    expect(changes).toEqual([{ minPatchCells: 25 }]);
  });
  test("an end of a range is opened and closed again within the other end", async () => {
    const { change, changes } = recorder();
    const field: Of<"openEnd"> = {
      kind: "openEnd",
      at: "max",
      label: "To",
      unit: "m",
      min: 150,
      max: 9000,
      usual: 100,
    };
    const { rerender } = renderPart(
      <OpenEndSetting field={field} own={{ max: 200 }} change={change} />,
    );
    await userEvent.click(screen.getByText("Open"));
    rerender(<OpenEndSetting field={field} own={{ max: null }} change={change} />);
    expect(screen.getByText("no end")).toBeTruthy();
    await userEvent.click(screen.getByText("Set"));
    expect(changes).toEqual([{ max: null }, { max: 150 }]);
  });
  test("the last of several cannot be taken away", async () => {
    const { change, changes } = recorder();
    const field: Of<"someOf"> = {
      kind: "someOf",
      at: "sceneIds",
      label: "Other dates",
      options: [
        { value: "a", name: "2 May" },
        { value: "b", name: "20 May" },
      ],
    };
    renderPart(<SomeOfSetting field={field} own={{ sceneIds: ["a"] }} change={change} />);
    await userEvent.click(screen.getByText("2 May"));
    await userEvent.click(screen.getByText("20 May"));
    expect(changes).toEqual([{ sceneIds: ["a", "b"] }]);
  });
});
