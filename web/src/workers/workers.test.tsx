/** @jest-environment jsdom */
import type { Process } from "@hindglance/contract/processes";
import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { fakeServer, renderPart } from "../testing/page";
import { idOf } from "../testing/things";
import { WorkersPage } from "./WorkersPage";

const process = (id: number, more: Partial<Process> = {}): Process => ({
  ...{ id: idOf(id), kind: "worker", host: "cellar", pid: 100 + id, program: "Hind Glance 0.1.0" },
  ...{ isSameProgram: true, isThere: true, isDraining: false, work: null },
  ...{ startedAt: "2025-05-15T07:00:00Z", heardAt: "2025-05-15T08:00:00Z", silentSeconds: 1 },
  ...{ memoryBytes: 210e6, ...more },
});
const work = {
  ...{ runId: idOf(9), title: "Write Night flood", doing: "Classifying", study: "Ombrel" },
};

function open(processes: Process[]) {
  const asked = fakeServer(({ method }) => (method === "PATCH" ? processes[0] : processes));
  renderPart(<WorkersPage />);
  return asked;
}
const rows = async () => (await screen.findAllByRole("row")).slice(1);

test("each process tells where it runs, what it does, its memory and when it was heard", async () => {
  open([
    process(1, { kind: "server", host: "attic" }),
    process(2, { work }),
    process(3, { isThere: false, silentSeconds: 300 }),
    process(4, { isSameProgram: false, program: "Hind Glance 0.0.9" }),
  ]);
  const [server, busy, gone, older] = await rows();
  within(server!).getByText("Serving");
  expect(within(server!).queryByRole("button")).toBeNull();
  within(busy!).getByText("Working");
  within(busy!).getByText("Write Night flood");
  within(busy!).getByText("Ombrel · Classifying");
  expect(busy!.textContent).toMatch(/210\sMB/);
  within(gone!).getByText("Gone");
  expect(gone!.textContent).toMatch(/5\smin ago/);
  expect(within(gone!).queryByRole("button")).toBeNull();
  within(older!).getByText("another version: Hind Glance 0.0.9");
  screen.getByText("2 workers on 1 host; 1 at work.");
});

test("a worker is drained, and let to work again", async () => {
  const asked = open([process(1, { work, isDraining: true }), process(2, { isDraining: true })]);
  screen.getByText("Asking …");
  await screen.findByText("No worker takes work: what is begun waits until one does.");
  screen.getByText("Draining: ends what it does");
  screen.getByText("Drained: may be stopped");
  const again = { name: "Let it work again: process 101 on cellar" };
  await userEvent.click(screen.getByRole("button", again));
  await waitFor(() =>
    expect(asked).toContainEqual({
      ...{ method: "PATCH", path: `/processes/${idOf(1)}`, body: { isDraining: false } },
    }),
  );
});
