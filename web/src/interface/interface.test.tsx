/** @jest-environment jsdom */
import { screen, waitFor, within } from "@testing-library/react";
import { openApi } from "@hindglance/contract/openApi";
import { ROUTE_TABLES } from "@hindglance/contract/tables";
import { Refusal, fakeServer, renderPage, typeInto } from "../testing/page";
import { InterfacePage } from "./InterfacePage";

test("every route of the server is there with what it takes, and is found by its words", async () => {
  fakeServer(() => openApi(ROUTE_TABLES));
  renderPage(<InterfacePage />, {});
  const recipes = await screen.findByRole("region", { name: "recipes" });
  expect(recipes.textContent).toContain("/studies/{id}/recipe-runs");
  within(recipes).getAllByText("Parameters");
  await typeInto("Words of a route", "delete recipe-runs");
  await waitFor(() => expect(screen.getAllByRole("region")).toHaveLength(1));
  expect(screen.getByRole("region").querySelectorAll("details")).toHaveLength(1);
  await typeInto("Words of a route", "no such route");
  await screen.findByText("No route has all of these words.");
});

test("where the server does not tell, that is said", async () => {
  fakeServer(() => new Refusal(503, { code: "busy", message: "The database does not answer" }));
  renderPage(<InterfacePage />, {});
  await screen.findByText(/does not answer/);
});
