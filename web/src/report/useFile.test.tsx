/** @jest-environment jsdom */
import { act, renderHook, waitFor } from "@testing-library/react";
import { keys } from "../api/hooks";
import type { Run } from "../api/types";
import { useUi } from "../state/ui";
import { Around, Refusal, fakeServer, testClient } from "../testing/page";
import { aChangeMap, aRun } from "../testing/things";
import { useFile } from "./useFile";

const made = { id: "f1", name: "map.tif", size: 10, format: "cog" };

/** Addresses that the browser was sent to. */
function downloads(): string[] {
  const all: string[] = [];
  jest.spyOn(HTMLAnchorElement.prototype, "click").mockImplementation(function (
    this: HTMLAnchorElement,
  ) {
    all.push(this.getAttribute("href")!);
  });
  return all;
}
afterEach(() => jest.restoreAllMocks());

function hook(map = aChangeMap()) {
  const client = testClient();
  const tell = (run: Run) => {
    act(() => {
      client.setQueryData(keys.runs, [run]);
    });
  };
  const { result } = renderHook(() => useFile(map, "cog"), {
    wrapper: ({ children }) => <Around client={client}>{children}</Around>,
  });
  return { result, tell };
}

test("a file that is there is taken at once, and nothing is asked for", () => {
  const asked = fakeServer(() => []);
  const all = downloads();
  const { result } = hook(aChangeMap({ files: [{ ...made, id: "f9", format: "csv" }, made] }));
  act(() => result.current.get());
  expect(all).toEqual(["/api/files/f1"]);
  expect(asked.filter(({ method }) => method === "POST")).toEqual([]);
});

test("a file that is not is made by a run, and taken when that has ended", async () => {
  const asked = fakeServer(({ method }) => (method === "POST" ? { runId: "r1" } : []));
  const all = downloads();
  const map = aChangeMap();
  const { result, tell } = hook(map);
  expect([result.current.file, result.current.busy]).toEqual([null, false]);
  act(() => result.current.get());
  await waitFor(() => expect(result.current.busy).toBe(true));
  expect(asked.find(({ method }) => method === "POST")).toMatchObject({
    path: `/change-maps/${map.id}/files`,
    body: { format: "cog" },
  });
  await waitFor(() => expect(result.current.busy).toBe(true));
  tell(aRun({ progress: 0.25 }));
  await waitFor(() => expect(result.current.progress).toBe(0.25));
  expect(all).toEqual([]);
  tell(aRun({ state: "done", progress: 1, result: { blobId: "b7" } }));
  await waitFor(() => expect(all).toEqual(["/api/files/b7"]));
  expect(result.current.busy).toBe(false);
});

test("a file is taken once, even where an older list of runs comes after a newer one", async () => {
  fakeServer(({ method }) => (method === "POST" ? { runId: "r1" } : []));
  const all = downloads();
  const { result, tell } = hook();
  act(() => result.current.get());
  await waitFor(() => expect(result.current.busy).toBe(true));
  const done = aRun({ state: "done", progress: 1, result: { blobId: "b7" } });
  tell(done);
  await waitFor(() => expect(all).toHaveLength(1));
  tell(aRun({ progress: 0.9 }));
  await act(() => new Promise((ok) => setTimeout(ok, 30)));
  tell(done);
  await act(() => new Promise((ok) => setTimeout(ok, 30)));
  expect(all).toEqual(["/api/files/b7"]);
  expect(result.current.busy).toBe(false);
});

test("a run that fails says why, and the file can be asked for again", async () => {
  fakeServer(({ method }) => (method === "POST" ? { runId: "r1" } : []));
  const all = downloads();
  const said = jest.spyOn(useUi.getState(), "say");
  const { result, tell } = hook();
  act(() => result.current.get());
  await waitFor(() => expect(result.current.busy).toBe(true));
  const error = { code: "full", message: "The disk is full", hint: "Make room." };
  tell(aRun({ state: "failed", error }));
  await waitFor(() => expect(result.current.busy).toBe(false));
  expect(said).toHaveBeenCalledWith("The disk is full. Make room.", "wrong");
  expect(all).toEqual([]);
});

test("what the server refuses is said", async () => {
  fakeServer(({ method }) =>
    method === "POST" ? new Refusal(422, { code: "crs", message: "No EPSG code" }) : [],
  );
  const said = jest.spyOn(useUi.getState(), "say");
  const { result } = hook();
  act(() => result.current.get());
  await waitFor(() => expect(said).toHaveBeenCalledWith("No EPSG code.", "wrong"));
  expect(result.current.busy).toBe(false);
});
