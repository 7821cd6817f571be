/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ArrivingFile } from "@hindglance/contract/upload";
import { fakeServer, renderPart, testClient } from "../testing/page";
import { anArriving } from "../testing/things";
import { keys } from "../api/hooks";
import { ArrivingCards } from "./ArrivingCards";
import { useSending } from "./uploads";

const chosen = jest.fn();
function show(things: ArrivingFile[]) {
  const asked = fakeServer(({ path }) => (path.endsWith("/arriving") ? things : {}));
  const client = testClient();
  client.setQueryData(keys.arriving("s1"), things);
  renderPart(<ArrivingCards studyId="s1" onChoose={chosen} />, client);
  return asked;
}
const LONG_AGO = "2025-05-02T00:00:00Z";
const press = (name: string) => userEvent.click(screen.getByRole("button", { name }));

beforeEach(() => {
  chosen.mockClear();
  useSending.setState({ items: [] });
});

test("what another page sends is shown with how far it is", () => {
  show([anArriving({ name: "product.zip", length: 2_000_000, size: 500_000 })]);
  expect(screen.getByText("25 % of 2.0 MB, from another page")).toBeTruthy();
  expect(screen.getByRole("progressbar", { name: "Sending product.zip" })).toBeTruthy();
});

test("what this page sends itself is in its own list alone", () => {
  useSending.setState({
    items: [
      {
        ...{ id: 1, studyId: "s1", name: "map.tif", size: 1000, share: 0.4, waits: false },
        ...{ error: null, arrivingId: "u9", abort: new AbortController() },
      },
    ],
  });
  show([anArriving()]);
  expect(screen.queryByText(/map\.tif/)).toBeNull();
});

test("what is whole is being looked at", () => {
  show([anArriving({ size: 1000, state: "settling" })]);
  expect(screen.getByText("being looked at")).toBeTruthy();
});

test("what stopped says how to go on: the same file is picked, or it is left out", async () => {
  const asked = show([anArriving({ touchedAt: LONG_AGO })]);
  const card = screen.getByRole("region", { name: "The sending of map.tif stopped" });
  expect(card.textContent).toMatch(/40.% of 1\.0.kB arrived\. Add the same file again/);
  await press("Pick the file");
  expect(chosen).toHaveBeenCalledTimes(1);
  await press("Leave it out");
  await waitFor(() =>
    expect(asked).toContainEqual(
      expect.objectContaining({ method: "DELETE", path: "/studies/s1/arriving/u9" }),
    ),
  );
});

test("of a folder the folder is added again", () => {
  show([anArriving({ name: "H1", folder: true, files: 3, touchedAt: LONG_AGO })]);
  expect(screen.getByRole("region").textContent).toContain("Add the same folder again");
  expect(screen.queryByRole("button", { name: "Pick the file" })).toBeNull();
});

test("what was refused stays with its reason and remedy, and is tried again on wish", async () => {
  const refused = { code: "truncated", message: "map.tif is cut off", hint: "Copy it again." };
  const asked = show([anArriving({ size: 1000, state: "refused", refused })]);
  const card = screen.getByRole("region", { name: "map.tif was not taken in" });
  expect(card.textContent).toContain("map.tif is cut off. Copy it again.");
  await press("Try again");
  await waitFor(() =>
    expect(asked).toContainEqual(
      expect.objectContaining({ method: "POST", path: "/studies/s1/arriving/u9/again" }),
    ),
  );
});
