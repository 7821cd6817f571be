/** @jest-environment jsdom */
import { act, renderHook, waitFor } from "@testing-library/react";
import type { Comparison } from "@hindglance/contract/comparison";
import { emptySetup } from "@hindglance/core/change/defaults";
import { keys } from "../api/hooks";
import { HeldComparison } from "../testing/heldComparison";
import { Around, fakeServer, testClient } from "../testing/page";
import { useCompare } from "./state";
import { moveThreshold } from "./histogram/thresholds";
import { useVersions } from "./useVersions";

const setup = emptySetup({ looks: 4, hasStudyArea: true, hasElevation: true });
const whole = (value: number): Comparison => ({
  beforeId: "b",
  afterId: "a",
  setup: moveThreshold(setup, [[0, 0]], value),
});

const GROUND = ["sides"];
const value = (of: Comparison | null) => of?.setup?.rules[0]?.all[0]?.value;
const shown = () => value(useCompare.getState().comparison);
const move = (to: number) =>
  act(() => useCompare.getState().change((s) => moveThreshold(s, [[0, 0]], to)));

function begin(comparison: Comparison | null = whole(-3)) {
  useCompare.setState({ studyId: null, saved: null, comparison: null, past: [], future: [] });
  const held = new HeldComparison(comparison);
  const asked = fakeServer((one) => held.answer(one));
  const client = testClient();
  const hook = renderHook(() => useVersions("s1", GROUND), {
    wrapper: ({ children }) => <Around client={client}>{children}</Around>,
  });
  const patches = () => asked.filter((one) => one.method === "PATCH");
  return { held, client, hook, patches };
}

test("begins with what the server holds, and sends nothing of its own accord", async () => {
  const { patches } = begin();
  await waitFor(() => expect(shown()).toBe(-3));
  await new Promise((ok) => setTimeout(ok, 500));
  expect(patches()).toEqual([]);
});

test("a changed number is one request with the change alone", async () => {
  const { held, patches, hook } = begin();
  await waitFor(() => expect(shown()).toBe(-3));
  move(-5);
  expect(hook.result.current.isCurrent).toBe(false);
  await waitFor(() => expect(value(held.comparison)).toBe(-5), { timeout: 3000 });
  expect(patches()).toHaveLength(1);
  expect(patches()[0]!.body).toMatchObject({
    changes: [
      { op: "test", path: "/setup/rules/0/all/0/value", value: -3 },
      { op: "replace", path: "/setup/rules/0/all/0/value", value: -5 },
    ],
    measure: "yes",
  });
  await waitFor(() => expect(hook.result.current.isCurrent).toBe(true));
});

test("nothing is sent while something is dragged; letting go sends once", async () => {
  const { patches } = begin();
  await waitFor(() => expect(shown()).toBe(-3));
  for (const to of [-4, -5, -6]) {
    act(() => useCompare.getState().drag((s) => moveThreshold(s, [[0, 0]], to)));
  }
  await new Promise((ok) => setTimeout(ok, 500));
  expect(patches()).toEqual([]);
  act(() => useCompare.getState().drop());
  await waitFor(() => expect(patches()).toHaveLength(1), { timeout: 3000 });
});

test("what is changed while an answer is on its way follows it, told from there", async () => {
  const { held, patches } = begin();
  await waitFor(() => expect(shown()).toBe(-3));
  let open = () => {};
  held.gate = new Promise((ok) => (open = ok));
  move(-5);
  await waitFor(() => expect(patches()).toHaveLength(1), { timeout: 3000 });
  move(-7);
  await new Promise((ok) => setTimeout(ok, 500));
  expect(patches()).toHaveLength(1);
  await act(async () => {
    open();
    await held.gate;
  });
  await waitFor(() => expect(value(held.comparison)).toBe(-7), { timeout: 3000 });
  expect(shown()).toBe(-7);
  expect(patches()).toHaveLength(2);
});

test("a change on another page is taken in when it is told of", async () => {
  const { held, client } = begin();
  await waitFor(() => expect(shown()).toBe(-3));
  held.elsewhere(whole(-9));
  await act(() => client.invalidateQueries({ queryKey: keys.comparison("s1") }));
  await waitFor(() => expect(shown()).toBe(-9));
  act(() => useCompare.getState().undo());
  expect(shown()).toBe(-3);
});

test("where both changed the same, theirs is shown and undo brings back one's own", async () => {
  const { held } = begin();
  await waitFor(() => expect(shown()).toBe(-3));
  held.elsewhere(whole(-9));
  move(-5);
  await waitFor(() => expect(shown()).toBe(-9), { timeout: 3000 });
  expect(value(held.comparison)).toBe(-9);
  act(() => useCompare.getState().undo());
  expect(shown()).toBe(-5);
});

test("what was not sent yet is sent when the stage is left", async () => {
  const { held, hook } = begin();
  await waitFor(() => expect(shown()).toBe(-3));
  move(-4);
  hook.unmount();
  await waitFor(() => expect(value(held.comparison)).toBe(-4));
});

test("a study without a comparison is fresh until one is begun", async () => {
  const { held, hook } = begin(null);
  await waitFor(() => expect(hook.result.current.isFresh).toBe(true));
  act(() => useCompare.getState().begin(whole(-4.6)));
  await waitFor(() => expect(value(held.comparison)).toBe(-4.6), { timeout: 3000 });
  expect(useCompare.getState().past).toEqual([]);
});

test("areas that nobody asked for are asked for once; what was cancelled is not begun again", async () => {
  const { held, client, patches } = begin();
  await waitFor(() => expect(shown()).toBe(-3));
  held.more = { areas: { state: "notAsked", hash: "0".repeat(32) } };
  await act(() => client.invalidateQueries({ queryKey: keys.comparison("s1") }));
  await waitFor(() => expect(patches()).toHaveLength(1));
  expect(patches()[0]!.body).toMatchObject({ changes: [], measure: "yes" });
  // As after its run was cancelled: nobody measures them.
  await act(() => client.invalidateQueries({ queryKey: keys.comparison("s1") }));
  await new Promise((ok) => setTimeout(ok, 100));
  expect(patches()).toHaveLength(1);
});

test("an answer that was long on its way does not put back what another page changed since", async () => {
  const { held, client, patches } = begin();
  await waitFor(() => expect(shown()).toBe(-3));
  let open = () => {};
  held.late = new Promise((ok) => (open = ok));
  held.more = { areas: { state: "notAsked", hash: "0".repeat(32) } };
  await act(() => client.invalidateQueries({ queryKey: keys.comparison("s1") }));
  // Asked for the areas; its answer is of the version before the other page's change.
  await waitFor(() => expect(patches()).toHaveLength(1));
  held.elsewhere(whole(-9));
  await act(() => client.invalidateQueries({ queryKey: keys.comparison("s1") }));
  await act(async () => {
    open();
    await held.late;
  });
  await waitFor(() => expect(shown()).toBe(-9));
});
