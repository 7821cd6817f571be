/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { area } from "../lib/format";
import { Refusal, fakeServer, renderPart } from "../testing/page";
import { aChangeMap } from "../testing/things";
import { RenameMap } from "./RenameMap";

const map = aChangeMap({ id: "m1", studyId: "s1", name: "First look" });

async function rename(to: string, answer: () => unknown) {
  const asked = fakeServer(answer);
  renderPart(<RenameMap map={map} />);
  await userEvent.click(screen.getByRole("button", { name: "Rename the change map" }));
  const field = screen.getByLabelText("Name of the change map", { selector: "input" });
  await userEvent.clear(field);
  if (to) {
    await userEvent.type(field, to);
  }
  return asked;
}

test("a change map gets another name", async () => {
  const asked = await rename("Signed off", () => map);
  await userEvent.keyboard("{Enter}");
  await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
  expect(asked[0]).toEqual({
    method: "PATCH",
    path: "/change-maps/m1",
    body: { name: "Signed off" },
  });
});

test("it cannot be without one", async () => {
  await rename("", () => map);
  expect(screen.getByRole<HTMLButtonElement>("button", { name: "Rename" }).disabled).toBe(true);
});

test("what the server refuses is said, and what was typed stays", async () => {
  await rename("x", () => new Refusal(422, { code: "invalid", message: "That is no name" }));
  await userEvent.keyboard("{Enter}");
  expect((await screen.findByRole("alert")).textContent).toContain("That is no name");
  expect(
    screen.getByLabelText<HTMLInputElement>("Name of the change map", { selector: "input" }).value,
  ).toBe("x");
});

test("an area in every unit that can be asked for", () => {
  const row = { areaM2: 1_234_567, cells: 3086, sharePercent: 12.345 };
  const units = ["km2", "ha", "m2", "cells", "percent"] as const;
  expect(units.map((unit) => area(row, unit))).toEqual([
    "1.235",
    "123.5",
    "1\u2009234\u2009567",
    "3\u2009086",
    "12.35",
  ]);
});
