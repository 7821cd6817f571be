/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useUi } from "../../state/ui";
import { type Asked, answersTo, fakeServer, renderPage } from "../../testing/page";
import { aChangeMap, aStudy, idOf } from "../../testing/things";
import { ReportPage } from "../ReportPage";

const study = aStudy();
const file = { id: idOf(4), name: "First look.tif", size: 10, format: "cog" };
const path = `/open/${study.id}`;

function open(first: { on: boolean; path: string | null }) {
  const asked = fakeServer(
    answersTo(
      {
        "/open": (one: Asked) => {
          const on = one.method === "PUT" ? one.as<{ on: boolean }>().on : first.on;
          return { on, path: on ? path : null };
        },
      },
      { "/change-maps": [aChangeMap({ files: [file] })] },
    ),
  );
  renderPage(<ReportPage />, { context: study, at: "/?of=services" });
  return asked;
}

test("services that are off say so, and have their addresses once they are on", async () => {
  const asked = open({ on: false, path: null });
  await screen.findByText(/Services are off/);
  await userEvent.click(screen.getByRole("button", { name: "Switch services on" }));
  await screen.findByText(`${location.origin}${path}`);
  screen.getByText(`${location.origin}${path}/stac`);
  screen.getByText(`${location.origin}${path}/files/${file.id}/First%20look.tif`);
  expect(asked.filter(({ method }) => method === "PUT").map(({ body }) => body)).toEqual([
    { on: true },
  ]);
});

test("an address is copied, and services are switched off again", async () => {
  const say = jest.fn();
  useUi.setState({ say });
  const user = userEvent.setup();
  open({ on: true, path });
  await user.click(
    await screen.findByRole("button", { name: "Copy the address of Catalogue (STAC)" }),
  );
  await waitFor(() => expect(say).toHaveBeenCalledWith("The address is on the clipboard."));
  expect(await navigator.clipboard.readText()).toBe(`${location.origin}${path}/stac`);
  await user.click(screen.getByRole("button", { name: "Switch services off" }));
  await screen.findByText(/Services are off/);
  expect(screen.queryByRole("list", { name: "Services" })).toBeNull();
});
