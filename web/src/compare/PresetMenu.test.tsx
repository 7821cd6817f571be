/** @jest-environment jsdom */
import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { emptySetup } from "@hindglance/core/change/defaults";
import { PRESETS } from "@hindglance/core/change/presets";
import type { SavedPreset } from "../api/types";
import { fakeServer, renderPart } from "../testing/page";
import { PresetMenu } from "./PresetMenu";

const setup = emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false });
const saved = (name: string, more: Partial<SavedPreset> = {}): SavedPreset => ({
  id: `0a000000-0000-4000-8000-00000000000${name.length}`,
  name,
  comparing: "power",
  unit: "dB",
  measure: "logRatio",
  formula: null,
  own: {},
  rules: setup.rules,
  limits: setup.limits,
  ...more,
});

async function open(all: SavedPreset[] = [], onReset: (() => void) | null = null) {
  let held = all;
  const asked = fakeServer((one) => {
    const { method, path } = one;
    if (method === "POST") {
      const preset = { id: "new", ...one.as<Omit<SavedPreset, "id">>() };
      held = [...held, preset];
      return preset;
    }
    if (method === "DELETE") {
      held = held.filter(({ id }) => !path.endsWith(id));
      return null;
    }
    return held;
  });
  const taken: string[] = [];
  renderPart(
    <PresetMenu
      setup={setup}
      comparing="power"
      unit="dB"
      onReset={onReset}
      presets={PRESETS.slice(0, 2)}
      onPreset={({ id }) => taken.push(id)}
      onSaved={({ name }) => taken.push(name)}
    />,
  );
  await userEvent.click(screen.getByRole("button", { name: "Presets" }));
  const sent = (method: string) => asked.filter((one) => one.method === method);
  return { taken, sent };
}
const items = () => screen.getAllByRole("menuitem").map((item) => item.textContent);

test("ready ones say what they are for, and one is taken at a click", async () => {
  const { taken } = await open();
  expect(items()[0]).toContain(PRESETS[0]!.help);
  await userEvent.click(screen.getByRole("menuitem", { name: new RegExp(PRESETS[1]!.name) }));
  expect(taken).toEqual([PRESETS[1]!.id]);
});

test("suggested settings are offered once they are known", async () => {
  let times = 0;
  await open([], () => {
    times++;
  });
  await userEvent.click(screen.getByRole("menuitem", { name: /Suggested settings/ }));
  expect(times).toBe(1);
});

test("saved ones that suit what is compared are listed, others are not", async () => {
  const { taken } = await open([
    saved("Mine"),
    saved("Of an index", { comparing: "value" }),
    saved("Of a quotient", { unit: "" }),
  ]);
  expect(await screen.findByRole("menuitem", { name: /Mine/ })).toBeTruthy();
  expect(items().join()).not.toMatch(/Of an index|Of a quotient/);
  await userEvent.click(screen.getByRole("menuitem", { name: /Mine/ }));
  expect(taken).toEqual(["Mine"]);
});

test("rules and limits are saved under a name, and stand in the menu then", async () => {
  const { sent } = await open();
  await userEvent.click(screen.getByRole("menuitem", { name: /Save these rules/ }));
  const sheet = screen.getByRole("dialog", { name: "Save as a preset" });
  const save = within(sheet).getByRole<HTMLButtonElement>("button", { name: "Save preset" });
  expect(save.disabled).toBe(true);
  await userEvent.type(within(sheet).getByLabelText("Name"), "   ");
  expect(save.disabled).toBe(true);
  await userEvent.type(within(sheet).getByLabelText("Name"), "River{Enter}");
  await waitFor(() => expect(sent("POST")).toHaveLength(1));
  expect(sent("POST")[0]!.body).toEqual({
    name: "River",
    comparing: "power",
    unit: "dB",
    measure: "logRatio",
    formula: null,
    own: {},
    rules: setup.rules,
    limits: setup.limits,
  });
  await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
  await userEvent.click(screen.getByRole("button", { name: "Presets" }));
  expect(await screen.findByRole("menuitem", { name: /River/ })).toBeTruthy();
});

test("naming is left without saving", async () => {
  const { sent } = await open();
  await userEvent.click(screen.getByRole("menuitem", { name: /Save these rules/ }));
  await userEvent.type(screen.getByLabelText("Name"), "River");
  await userEvent.click(screen.getByRole("button", { name: "Cancel" }));
  await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
  expect(sent("POST")).toEqual([]);
});

test("a saved one is deleted only after a question, and is not taken by that", async () => {
  const { sent, taken } = await open([saved("Mine"), saved("Yours too")]);
  await userEvent.click(await screen.findByRole("button", { name: "Delete preset Mine" }));
  expect(await screen.findByText("Delete the preset Mine?")).toBeTruthy();
  expect(sent("DELETE")).toEqual([]);
  await userEvent.click(screen.getByRole("button", { name: "Delete preset" }));
  await waitFor(() => expect(sent("DELETE")).toHaveLength(1));
  await userEvent.click(screen.getByRole("button", { name: "Presets" }));
  await waitFor(() => expect(items().join()).not.toMatch(/Mine/));
  expect(items().join()).toMatch(/Yours too/);
  expect(taken).toEqual([]);
});
