/** @jest-environment jsdom */
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { FirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { firstMapOfFields } from "../testing/comparing";
import { renderPart } from "../testing/page";
import { EvidenceSection } from "./EvidenceSection";

function show(data: FirstMap | null, more: { error?: Error; isTaken?: boolean } = {}) {
  const taken: string[] = [];
  renderPart(
    <EvidenceSection
      first={{ data, error: more.error ?? null, isFetching: data === null }}
      isTaken={more.isTaken ?? true}
      onTake={() => taken.push("taken")}
    />,
  );
  return taken;
}
const notes = () => within(screen.getByRole("list")).getAllByRole("listitem");

test("where water came: how much, what was missed, and figures behind a button", async () => {
  show(firstMapOfFields(true));
  expect(notes()).toHaveLength(1);
  expect(notes()[0]!.textContent).toMatch(/^About \d+\.\d (ha|km²) became open water\./);
  expect(notes()[0]!.textContent).toMatch(/A patch under 0\.5 ha/);
  await userEvent.click(screen.getByRole("button", { expanded: false }));
  expect(screen.getByText(/Two heaps\./).textContent).toMatch(/Ashman's D \d+\.\d/);
});

test("where nothing changed: that there is no sign of it, and what could have been missed", () => {
  show(firstMapOfFields(false));
  expect(notes()[0]!.textContent).toBe(
    "No sign of open water change in this pair. A patch under 0.5 ha, or one that changed by less than 3.5 dB, would not have been seen.",
  );
  expect(screen.getByRole("img", { name: "Not found" })).toBeTruthy();
});

test("classes that are not those of the pair can be taken at a click", async () => {
  expect(show(firstMapOfFields(true), { isTaken: true })).toEqual([]);
  expect(screen.queryByRole("button", { name: "Take suggested classes" })).toBeNull();
  const taken = show(firstMapOfFields(true), { isTaken: false });
  await userEvent.click(screen.getByRole("button", { name: "Take suggested classes" }));
  expect(taken).toEqual(["taken"]);
});

test("while it is looked for, and where it cannot be had", () => {
  show(null);
  expect(screen.getByRole("status").textContent).toBe("Looking at both dates …");
  show(null, { error: new Error("The server does not answer.") });
  expect(screen.getByRole("alert").textContent).toContain("The server does not answer.");
});
