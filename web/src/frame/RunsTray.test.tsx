/** @jest-environment jsdom */
import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { keys } from "../api/hooks";
import type { Run } from "../api/types";
import { fakeServer, renderPart, testClient } from "../testing/page";
import { RunsTray } from "./RunsTray";

const run = (id: string, more: Partial<Run> = {}): Run => ({
  id,
  studyId: "s1",
  kind: "importScene",
  title: `Import ${id}`,
  state: "running",
  phase: 0,
  phases: [],
  progress: 0.5,
  doing: "Reading",
  error: null,
  result: null,
  createdAt: new Date().toISOString(),
  finishedAt: null,
  ...more,
});

async function open(runs: Run[]) {
  const asked = fakeServer(({ path }) => (path === "/runs" ? runs : {}));
  const client = testClient();
  client.setQueryData(keys.runs, runs);
  renderPart(<RunsTray />, client);
  await userEvent.click(screen.getByRole("button"));
  return asked;
}

test("says how many go on and how far they are together", async () => {
  await open([
    run("a", { progress: 0.2 }),
    run("b", { progress: 0.6 }),
    run("c", { state: "done" }),
  ]);
  expect(screen.getByText("2 runs · 40 %")).toBeTruthy();
  expect(within(screen.getByRole("dialog")).getAllByRole("listitem")).toHaveLength(3);
});

test("one run is cancelled by itself, and there is no way to cancel all of one", async () => {
  const asked = await open([run("a")]);
  expect(screen.queryByRole("button", { name: "Cancel all" })).toBeNull();
  await userEvent.click(screen.getByRole("button", { name: "Cancel" }));
  expect(asked).toContainEqual(expect.objectContaining({ method: "POST", path: "/runs/a/cancel" }));
});

test("all are cancelled at once", async () => {
  const asked = await open([run("a"), run("b")]);
  await userEvent.click(screen.getByRole("button", { name: "Cancel all" }));
  await waitFor(() =>
    expect(asked).toContainEqual({ method: "POST", path: "/runs/cancel", body: {} }),
  );
});

test("what went wrong is said with what to do", async () => {
  await open([
    run("a", {
      state: "failed",
      error: { code: "damaged", message: "The file is cut off", hint: "Send it again." },
    }),
  ]);
  expect(screen.getByText("The file is cut off. Send it again.")).toBeTruthy();
  expect(screen.getByText("failed")).toBeTruthy();
  expect(screen.queryByRole("progressbar")).toBeNull();
});

test("with nothing to show it says what will", async () => {
  await open([]);
  expect(screen.getByText("No runs")).toBeTruthy();
  expect(screen.getByText(/show here while they are being made/)).toBeTruthy();
});

test("the link to servers and workers closes the list, which would lie over their page", async () => {
  await open([]);
  await userEvent.click(screen.getByRole("link", { name: "Servers and workers" }));
  await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
});
