/** @jest-environment jsdom */
import { act, renderHook, waitFor } from "@testing-library/react";
import type { CompareAreas } from "@hindglance/contract/comparison";
import { keys } from "../api/hooks";
import { PAGE, useLine } from "../api/page";
import { Around, fakeServer, testClient } from "../testing/page";
import { aRun } from "../testing/things";
import { useExactAreas } from "./useAreas";

const measuring = (runId: string): CompareAreas => ({
  state: "measuring",
  hash: "0".repeat(32),
  runId,
});

/** Shows the areas of an answer; gives what was said of waiting. */
function begin(answer: CompareAreas | null, state: "running" | "done" = "running") {
  const client = testClient();
  client.setQueryData(keys.runs, [aRun({ id: "r1", state })]);
  const asked = fakeServer(({ path }) =>
    /^\/runs(\?|$)/.test(path) ? [aRun({ id: "r1", state })] : {},
  );
  const hook = renderHook(({ shown }) => useExactAreas(shown), {
    initialProps: { shown: answer },
    wrapper: ({ children }) => <Around client={client}>{children}</Around>,
  });
  const said = () =>
    asked
      .filter(({ path }) => /\/(wait|leave)$/.test(path))
      .map(({ path, body }) => [path, body] as const);
  return { hook, said };
}
const page = { page: PAGE };

test("a page says that it waits for a run, and that it waits no more when it is left", async () => {
  const { hook, said } = begin(measuring("r1"));
  await waitFor(() => expect(said()).toEqual([["/runs/r1/wait", page]]));
  expect(hook.result.current.running).toBe(0.5);
  hook.unmount();
  await waitFor(() => expect(said().at(-1)).toEqual(["/runs/r1/leave", page]));
});

test("it says so again on every new line, and leaves one run for the next in this order", async () => {
  const { hook, said } = begin(measuring("r1"));
  await waitFor(() => expect(said()).toHaveLength(1));
  act(() => useLine.setState(({ made }) => ({ made: made + 1 })));
  await waitFor(() => expect(said()).toHaveLength(2));
  hook.rerender({ shown: measuring("r2") });
  await waitFor(() =>
    expect(said().map(([path]) => path)).toEqual([
      "/runs/r1/wait",
      "/runs/r1/wait",
      "/runs/r1/leave",
      "/runs/r2/wait",
    ]),
  );
});

test.each([
  ["has ended", measuring("r1"), "done" as const],
  ["is not there", null, "running" as const],
])("a run that %s is not waited for", async (_what, answer, state) => {
  const { said } = begin(answer, state);
  await new Promise((ok) => setTimeout(ok, 60));
  expect(said()).toEqual([]);
});
