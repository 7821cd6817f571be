/** @jest-environment jsdom */
import { act, renderHook, waitFor } from "@testing-library/react";
import { type QueryClient, QueryObserver } from "@tanstack/react-query";
import { Around, testClient } from "../testing/page";
import { useEvents } from "./events";
import { keys } from "./hooks";
import type { Run } from "./types";

/** A stream of events that a test speaks on. */
class Stream {
  static last: Stream;
  readonly listeners = new Map<string, (event: { data: string }) => void>();
  onopen: (() => void) | null = null;
  closed = false;
  constructor(readonly address: string) {
    Stream.last = this;
  }
  addEventListener(name: string, listener: (event: { data: string }) => void) {
    this.listeners.set(name, listener);
  }
  close() {
    this.closed = true;
  }
  say(name: string, data: object) {
    act(() => this.listeners.get(name)!({ data: JSON.stringify(data) }));
  }
}

function begin() {
  Object.assign(globalThis, { EventSource: Stream });
  const client = testClient();
  const asked: string[] = [];
  const known = client.invalidateQueries.bind(client);
  client.invalidateQueries = (filters) => {
    asked.push(JSON.stringify(filters?.queryKey));
    return known(filters);
  };
  const hook = renderHook(() => useEvents(), {
    wrapper: ({ children }) => <Around client={client}>{children}</Around>,
  });
  return { client, asked, hook };
}
const text = (key: readonly unknown[]) => JSON.stringify(key);
const know = (client: QueryClient, version: number) =>
  client.setQueryData(keys.study("s1"), { id: "s1", version });

test("a run that goes on is put into the list, one that ended refreshes what it changed", () => {
  const { client, asked } = begin();
  const run = { id: "r1", studyId: "s1", createdAt: "2025-05-02", progress: 0.1 };
  Stream.last.say("run", { ...run, state: "running" });
  Stream.last.say("run", { ...run, state: "running", progress: 0.6 });
  expect(client.getQueryData<Run[]>(keys.runs)).toEqual([
    { ...run, state: "running", progress: 0.6 },
  ]);
  expect(asked).toEqual([]);
  Stream.last.say("run", { ...run, state: "done" });
  expect(asked).toContain(text(keys.scenes("s1")));
  expect(asked).toContain(text(keys.comparison("s1")));
});

test("a list of runs that was asked for before a run ended does not make it go on again", async () => {
  const { client } = begin();
  const run = { id: "r1", studyId: "s1", createdAt: "2025-05-02", progress: 0.1 };
  const lists = [
    { ...run, state: "running" },
    { ...run, state: "done" },
  ];
  const answers: (() => void)[] = [];
  const observer = new QueryObserver(client, {
    queryKey: keys.runs,
    queryFn: () => {
      const list = [lists[answers.length]!];
      return new Promise((ok) => answers.push(() => ok(list)));
    },
  });
  const leave = observer.subscribe(() => {});
  expect(answers).toHaveLength(1);
  Stream.last.say("run", { ...run, state: "done" });
  // It is asked for anew; the older answer comes late.
  await waitFor(() => expect(answers).toHaveLength(2));
  answers[0]!();
  await new Promise((ok) => setTimeout(ok, 20));
  expect(client.getQueryData<Run[]>(keys.runs)).toMatchObject([{ state: "done" }]);
  answers[1]!();
  await waitFor(() => expect(client.isFetching()).toBe(0));
  expect(client.getQueryData<Run[]>(keys.runs)).toMatchObject([{ state: "done" }]);
  leave();
});

test("when the server has missed something, everything on screen is asked for anew", () => {
  const { asked } = begin();
  Stream.last.say("again", {});
  expect(asked).toEqual([undefined]);
});

test("what is of an older version than the study is asked for anew, the rest is known already", () => {
  const { client } = begin();
  const mine = [...keys.comparison("s1"), "sides"];
  const isOld = (key: readonly unknown[]) => client.getQueryState(key)!.isInvalidated;
  know(client, 7);
  client.setQueryData(mine, { version: 7 });
  client.setQueryData(keys.prepare("s1"), {});
  Stream.last.say("study", { id: "s1", part: "study", version: 7 });
  expect([keys.study("s1"), mine, keys.prepare("s1")].map(isOld)).toEqual([false, false, true]);

  // The study was read for some other reason; its comparison was not.
  know(client, 8);
  Stream.last.say("study", { id: "s1", part: "study", version: 8 });
  expect([keys.study("s1"), mine].map(isOld)).toEqual([false, true]);

  Stream.last.say("study", { id: "s1", part: "study", version: 9 });
  expect([keys.study("s1"), mine].map(isOld)).toEqual([true, true]);
});

test.each([
  ["pin", keys.pins("s1")],
  ["zone_layer", keys.zones("s1")],
  ["scene", keys.scenes("s1")],
  ["blob", keys.uploads("s1")],
  ["change_map", keys.maps("s1")],
])("a change of %s refreshes that and no other list", (part, key) => {
  const { asked } = begin();
  Stream.last.say("study", { id: "s1", part, version: 3 });
  expect(asked).toContain(text(key));
  expect(asked).not.toContain(text(keys.ledger("s1")));
});

test("after a break what may have been missed is asked for, and the stream ends with the page", () => {
  const { asked, hook } = begin();
  act(() => Stream.last.onopen?.());
  expect(asked).toContain(text(keys.runs));
  hook.unmount();
  expect(Stream.last.closed).toBe(true);
});

test("what somebody saw at a place is heard of, and what this page says of places stays as it is", () => {
  const { asked, client } = begin();
  client.setQueryData(["places", "sample", "Ann"], [1]);
  Stream.last.say("study", { id: "s1", part: "sample", version: 3 });
  expect(asked).toEqual(
    expect.arrayContaining([text(["samples"]), text(["sampleResult"]), text(keys.maps("s1"))]),
  );
  expect(client.getQueryData(["places", "sample", "Ann"])).toEqual([1]);
  expect(client.getQueryState(["places", "sample", "Ann"])!.isInvalidated).toBe(true);
});
