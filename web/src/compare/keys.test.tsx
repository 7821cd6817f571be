/** @jest-environment jsdom */
import { fireEvent, render, renderHook, screen, waitFor } from "@testing-library/react";
import { useLocation } from "react-router";
import { emptySetup } from "@hindglance/core/change/defaults";
import { keys } from "../api/hooks";
import type { Run } from "../api/types";
import { Around, Refusal, fakeServer, testClient } from "../testing/page";
import { aRun, aScene } from "../testing/things";
import { useUi } from "../state/ui";
import { useCompare } from "./state";
import { useCompareKeys } from "./useCompareKeys";
import { useWriteMap } from "./useWriteMap";

const setup = emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false });
const DATES = [2, 5, 9, 14].map((day) =>
  aScene({ id: `d${day}`, acquiredAt: `2025-05-${String(day).padStart(2, "0")}T18:00:00Z` }),
);

describe("keys of Compare", () => {
  const begin = (beforeId: string, afterId: string) => {
    useCompare.getState().open("s1", { version: 1, comparison: { beforeId, afterId, setup } });
    const pairs: string[] = [];
    renderHook(() =>
      useCompareKeys(DATES, { beforeId, afterId }, (...pair) => pairs.push(pair.join())),
    );
    return pairs;
  };

  test("brackets move the after date by one", () => {
    const pairs = begin("d2", "d9");
    fireEvent.keyDown(window, { key: "[" });
    fireEvent.keyDown(window, { key: "]" });
    expect(pairs).toEqual(["d2,d5", "d2,d14"]);
  });

  test("but never to the before date, before it, or past the last", () => {
    const pairs = begin("d2", "d5");
    fireEvent.keyDown(window, { key: "[" });
    expect(pairs).toEqual([]);
    const last = begin("d2", "d14");
    fireEvent.keyDown(window, { key: "]" });
    expect(last).toEqual([]);
  });

  test("Ctrl Z takes a step back, with Shift it is made again", () => {
    begin("d2", "d9");
    useCompare.getState().changeAll((comparison) => ({ ...comparison, afterId: "d5" }));
    const shown = () => useCompare.getState().comparison!.afterId;
    fireEvent.keyDown(window, { key: "z", ctrlKey: true });
    expect(shown()).toBe("d9");
    fireEvent.keyDown(window, { key: "Z", ctrlKey: true, shiftKey: true });
    expect(shown()).toBe("d5");
    fireEvent.keyDown(window, { key: "z", metaKey: true });
    expect(shown()).toBe("d9");
  });

  test("in a field they are typed", () => {
    const pairs = begin("d2", "d9");
    render(<input aria-label="Value" />);
    fireEvent.keyDown(screen.getByLabelText("Value"), { key: "[" });
    fireEvent.keyDown(screen.getByLabelText("Value"), { key: "z", ctrlKey: true });
    expect(pairs).toEqual([]);
  });
});

describe("writing the change map on screen", () => {
  const whole = { beforeId: DATES[0]!.id, afterId: DATES[1]!.id, setup };
  const writeRun = (more: Partial<Run>): Run =>
    aRun({ id: "w1", studyId: "s1", kind: "writeChangeMap", ...more });
  let at = "";
  const Place = () => {
    const { pathname, search } = useLocation();
    at = `${pathname}${search}`;
    return null;
  };

  function begin(refusal: Refusal | null = null) {
    let runs: Run[] = [];
    const asked = fakeServer(({ method }) => {
      if (method === "POST") {
        runs = [writeRun({})];
        return refusal ?? { runId: "w1" };
      }
      return runs;
    });
    const client = testClient();
    const { result } = renderHook(() => useWriteMap("s1", whole), {
      wrapper: ({ children }) => (
        <Around client={client}>
          <Place />
          {children}
        </Around>
      ),
    });
    /** The run goes on; the page hears of it. */
    const become = (run: Run) => {
      runs = [run];
      return client.invalidateQueries({ queryKey: keys.runs });
    };
    return { result, become, asked };
  }

  test("sends pair and settings as one, and goes to its tally once it is there", async () => {
    const { result, become, asked } = begin();
    result.current.write();
    await waitFor(() => expect(result.current.writing?.id).toBe("w1"));
    expect(asked.find(({ method }) => method === "POST")).toMatchObject({
      path: "/studies/s1/change-maps",
      body: whole,
    });
    expect(at).toBe("/");
    await become(writeRun({ state: "done", progress: 1, result: { changeMapId: "m7" } }));
    await waitFor(() => expect(at).toBe("/studies/s1/tally?map=m7"));
    expect(result.current.writing).toBeNull();
  });

  test("stays where it is when the run fails, with the reason", async () => {
    const say = jest.spyOn(useUi.getState(), "say");
    const { result, become } = begin();
    result.current.write();
    await waitFor(() => expect(result.current.writing?.id).toBe("w1"));
    const error = { code: "tooManyPatches", message: "Too many patches", hint: "Filter more." };
    await become(writeRun({ state: "failed", error }));
    await waitFor(() =>
      expect(say).toHaveBeenCalledWith("Too many patches. Filter more.", "wrong"),
    );
    expect(at).toBe("/");
    say.mockRestore();
  });

  test("says why where nothing could be begun", async () => {
    const say = jest.spyOn(useUi.getState(), "say");
    const { result } = begin(new Refusal(409, { code: "notReady", message: "Not prepared yet" }));
    result.current.write();
    await waitFor(() =>
      expect(say).toHaveBeenCalledWith(expect.stringMatching(/Not prepared yet/), "wrong"),
    );
    expect(at).toBe("/");
    say.mockRestore();
  });

  test("shows a map that another page is writing in this study, and no other's", async () => {
    const { result, become } = begin();
    await become(writeRun({ id: "other", studyId: "s2" }));
    await new Promise((ok) => setTimeout(ok, 50));
    expect(result.current.writing).toBeNull();
    await become(writeRun({ id: "theirs" }));
    await waitFor(() => expect(result.current.writing?.id).toBe("theirs"));
    await become(writeRun({ id: "theirs", state: "done" }));
    await waitFor(() => expect(result.current.writing).toBeNull());
    expect(at).toBe("/");
  });
});
