/** @jest-environment jsdom */
import { act, render, renderHook, screen, waitFor } from "@testing-library/react";
import type { Change } from "@hindglance/contract/changes";
import { Around, testClient } from "../testing/page";
import {
  OPTICAL,
  RADAR,
  SCENE,
  type StepNodes,
  fieldOf,
  preparingServer,
} from "../testing/preparing";
import { aRun } from "../testing/things";
import { useUi } from "../state/ui";
import { InOutBars } from "./InOutBars";
import { changed, deskOf, stateOf, useDesk } from "./chainState";
import type { Field, FieldBox } from "./useFields";
import { usePrepare } from "./usePrepare";
import { useStepLook } from "./useStepLook";

function begin(nodes: StepNodes = RADAR, means: Record<string, number> = {}) {
  const server = preparingServer({ nodes, means });
  const client = testClient();
  const wrapper = ({ children }: { children: React.ReactNode }) => (
    <Around client={client}>{children}</Around>
  );
  return { client, wrapper, ...server };
}

async function prepareOf(studyId: string) {
  const page = begin();
  const { result } = renderHook(() => usePrepare(studyId, "radar"), { wrapper: page.wrapper });
  await waitFor(() => expect(result.current.view).not.toBeNull());
  // What a person does, one thing after the other: the page has drawn the last one by then.
  const setLooks = (rangeLooks: number) =>
    act(async () => {
      result.current.set(
        changed(stateOf(result.current.view!), "looks", { on: true, rangeLooks }, null),
      );
      await Promise.resolve();
    });
  const looks = () => result.current.view!.chain.looks;
  return { ...page, result, setLooks, looks };
}

describe("the board of a study", () => {
  test("names its rows by their days", async () => {
    const { result } = await prepareOf("p1");
    expect(result.current.view!.rows.map(({ label }) => label)).toEqual(["2 May", "14 May"]);
  });

  test("a change is on screen at once and goes as the change alone", async () => {
    const { server, patches, setLooks, looks } = await prepareOf("p2");
    const open = server.hold();
    await setLooks(4);
    await waitFor(() => expect(looks()).toMatchObject({ rangeLooks: 4 }));
    expect(server.held().chain.looks).toMatchObject({ rangeLooks: 1 });
    open();
    await waitFor(() => expect(server.held().chain.looks).toMatchObject({ rangeLooks: 4 }));
    const { changes } = patches()[0]!.as<{ changes: Change[] }>();
    const paths = changes.map(({ path }) => path);
    expect(paths.every((path) => path.startsWith("/chain/looks/"))).toBe(true);
  });

  test("a change that is made on all that the board shows goes as the change alone, too", async () => {
    const { server, patches, result } = await prepareOf("p2a");
    const view = result.current.view!;
    act(() =>
      result.current.set({ ...view, ...changed(stateOf(view), "looks", { rangeLooks: 6 }, null) }),
    );
    await waitFor(() => expect(server.held().chain.looks).toMatchObject({ rangeLooks: 6 }));
    const { changes } = patches()[0]!.as<{ changes: Change[] }>();
    expect(changes.filter(({ path }) => !path.startsWith("/chain/looks/"))).toEqual([]);
  });

  test("changes that follow each other arrive in their order, none lost", async () => {
    const { server, patches, setLooks } = await prepareOf("p3");
    for (const looks of [2, 3, 4]) {
      await setLooks(looks);
    }
    await waitFor(() => expect(patches()).toHaveLength(3));
    await waitFor(() => expect(server.held().chain.looks).toMatchObject({ rangeLooks: 4 }));
  });

  test("the answer of a change does not take back those that came after it", async () => {
    const { server, patches, setLooks, looks } = await prepareOf("p3a");
    const first = server.hold();
    await setLooks(2);
    await setLooks(3);
    const second = server.hold();
    first();
    await waitFor(() => expect(patches()).toHaveLength(2));
    expect(server.held().chain.looks).toMatchObject({ rangeLooks: 2 });
    expect(looks()).toMatchObject({ rangeLooks: 3 });
    await setLooks(4);
    second();
    await waitFor(() => expect(server.held().chain.looks).toMatchObject({ rangeLooks: 4 }));
  });

  test("a change is taken back to what was before it, and no further than the first", async () => {
    const { server, result, setLooks, patches } = await prepareOf("p4");
    await setLooks(2);
    await setLooks(5);
    await waitFor(() => expect(server.held().chain.looks).toMatchObject({ rangeLooks: 5 }));
    act(() => result.current.undo());
    await waitFor(() => expect(server.held().chain.looks).toMatchObject({ rangeLooks: 2 }));
    act(() => result.current.undo());
    await waitFor(() => expect(server.held().chain.looks).toMatchObject({ on: false }));
    const sent = patches().length;
    act(() => result.current.undo());
    await new Promise((ok) => setTimeout(ok, 50));
    expect(patches()).toHaveLength(sent);
  });

  test("what the server does not take is said, and what it holds is shown again", async () => {
    const say = jest.spyOn(useUi.getState(), "say");
    const { server, setLooks, looks } = await prepareOf("p5");
    server.refuse("Looks must be whole");
    await setLooks(7);
    await waitFor(() =>
      expect(say).toHaveBeenCalledWith(expect.stringMatching(/Looks must be whole/), "wrong"),
    );
    await waitFor(() => expect(looks()).toMatchObject({ rangeLooks: 1 }));
    say.mockRestore();
  });

  test("where nothing is left to run, that is said", async () => {
    const say = jest.spyOn(useUi.getState(), "say");
    const { result } = await prepareOf("p6");
    act(() => result.current.run.mutate(null));
    await waitFor(() => expect(say).toHaveBeenCalledWith(expect.stringMatching(/Nothing is left/)));
    say.mockRestore();
  });

  test("knows of a preparation in this study, and of no other's", async () => {
    const { client, result } = await prepareOf("p7");
    const run = aRun({ kind: "prepareDates", studyId: "else" });
    act(() => void client.setQueryData(["runs"], [run]));
    expect(result.current.running).toBe(false);
    act(() => void client.setQueryData(["runs"], [{ ...run, studyId: "p7" }]));
    await waitFor(() => expect(result.current.running).toBe(true));
  });
});

describe("what is seen of a step", () => {
  const look = async (
    family: "radar" | "optical",
    step: string,
    nodes: StepNodes,
    means: Record<string, number> = {},
  ) => {
    const page = begin(nodes, means);
    const studyId = `look ${Math.random()}`;
    deskOf(studyId, family).pick(SCENE, step);
    const { result } = renderHook(
      () => {
        const prepare = usePrepare(studyId, family);
        const desk = useDesk(studyId, family);
        const { view } = prepare;
        return useStepLook(studyId, view, prepare, desk, view?.rows[0] ?? null, family);
      },
      { wrapper: page.wrapper },
    );
    await waitFor(() => expect(result.current.nodes).not.toBeNull());
    for (const side of ["input", "output"] as const) {
      await waitFor(() => expect(result.current.pictures[side].stretches?.length).toBeTruthy());
    }
    return { ...page, result };
  };

  test("radar on one level has one stretch, so that a difference seen is one made", async () => {
    const { result } = await look("radar", "speckle", RADAR, { a: -10, b: -11 });
    const { input, output } = result.current.pictures;
    expect(output.stretches).toEqual(input.stretches);
    expect(result.current.input?.mean).toBe(-10);
    expect(result.current.output?.mean).toBe(-11);
    expect(result.current.what).toBeNull();
  });

  test("on another level each has its own", async () => {
    const { result } = await look("radar", "calibrate", RADAR, { a: 40, b: -11 });
    const { input, output } = result.current.pictures;
    expect(output.stretches).not.toEqual(input.stretches);
  });

  test("bands of light are seen in natural colours under one stretch in common", async () => {
    const { result } = await look("optical", "surface", OPTICAL);
    expect(result.current.look).toBe("natural");
    expect(result.current.pictures.output.bands).toEqual([2, 1, 0]);
    const [red, green, blue] = result.current.pictures.output.stretches!;
    expect([green, blue]).toEqual([red, red]);
  });

  test("a step that makes an index shows that, and figures name their band", async () => {
    const { result } = await look("optical", "indices", OPTICAL);
    expect(result.current.pictures.output.bands).toEqual([4]);
    expect(result.current.what).toBe("NDVI");
    // Figures of one band do not stand beside those of another.
    expect(result.current.input).toBeNull();
  });

  test("another look is chosen, and the haze map gives way to it", async () => {
    const { result } = await look("optical", "surface", OPTICAL);
    act(() => result.current.toggleLevels());
    expect(result.current.levels).toBe(true);
    const infrared = result.current.looks.find(({ value }) => value !== "natural")!;
    act(() => result.current.choose(infrared.value));
    expect(result.current).toMatchObject({ look: infrared.value, levels: false });
  });

  test("a field is marked once, stays while settings change, and is asked for on both sides", async () => {
    const { result, asked } = await look("radar", "speckle", RADAR);
    act(() => result.current.markField(true));
    expect(result.current.marking).toBe("field");
    const box = { col: 1, row: 2, width: 3, height: 4 };
    act(() => result.current.takeField({ input: box, output: { ...box, col: 9 } }));
    expect(result.current).toMatchObject({ marking: null, marked: true });
    const windows = () =>
      asked
        .filter(({ path }) => path === "/fields")
        .map((one) => one.as<{ window: FieldBox | null }>().window?.col);
    await waitFor(() => expect(windows()).toEqual(expect.arrayContaining([1, 9])));
    act(() => result.current.markField(false));
    expect(result.current.marked).toBe(true);
    act(() => result.current.markField(true));
    expect(result.current.marked).toBe(false);
  });

  test("a preview box is marked and taken away by the same button", async () => {
    const { result } = await look("optical", "mosaic", OPTICAL);
    act(() => result.current.markPreview());
    expect(result.current.marking).toBe("preview");
    act(() => result.current.markPreview());
    expect(result.current.marking).toBeNull();
    act(() => result.current.takePreview([0, 0, 1, 1]));
    expect(result.current.preview).toEqual([0, 0, 1, 1]);
  });
});

describe("histograms of in and out", () => {
  const bars = (input: Field | null, output: Field | null) => {
    const { container } = render(<InOutBars input={input} output={output} />);
    return [...container.querySelectorAll("rect")].map((bar) => ({
      x: Number(bar.getAttribute("x")),
      width: Number(bar.getAttribute("width")),
      height: Number(bar.getAttribute("height")),
      out: bar.getAttribute("fill") === "#1f6658",
    }));
  };

  test("stand over one axis, the tallest bar as high as there is room", () => {
    const all = bars(fieldOf(-10), fieldOf(-20));
    expect(all.filter(({ out }) => out)).toHaveLength(40);
    expect(Math.max(...all.map(({ height }) => height))).toBeCloseTo(72, 6);
    const middle = (out: boolean) => {
      const own = all.filter((bar) => bar.out === out);
      const sum = own.reduce((total, { height }) => total + height, 0);
      return own.reduce((total, { x, height }) => total + x * height, 0) / sum;
    };
    // Ten decibels of thirty lie between them, on an axis of 300.
    expect(middle(false) - middle(true)).toBeCloseTo(100, 0);
  });

  test("one that is not counted yet, or has no cell, is left out", () => {
    expect(bars(fieldOf(-10), null).some(({ out }) => out)).toBe(false);
    expect(bars({ ...fieldOf(-10), cells: 0 }, fieldOf(-10)).every(({ out }) => out)).toBe(true);
  });

  test("without any, that cells are being counted is said", () => {
    bars(null, null);
    expect(screen.getByText("Counting cells …")).toBeTruthy();
  });
});
