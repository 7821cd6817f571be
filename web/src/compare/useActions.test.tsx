/** @jest-environment jsdom */
import { act, renderHook, waitFor } from "@testing-library/react";
import type { Comparison } from "@hindglance/contract/comparison";
import { PRESETS } from "@hindglance/core/change/presets";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { SavedPreset, Study } from "../api/types";
import {
  type ComparingPage,
  HISTOGRAMS,
  NBR,
  SCENES,
  STUDY,
  comparingServer,
  dated,
  radarComparison as radar,
  sideOf,
} from "../testing/comparing";
import { Around, Refusal, testClient } from "../testing/page";
import { aBand, aStudy, idOf } from "../testing/things";
import { useUi } from "../state/ui";
import { useCompare } from "./state";
import { useActions } from "./useActions";
import { useComparison } from "./useComparison";

interface Page extends ComparingPage {
  study?: Study;
}

function begin(comparison: Comparison | null, page: Page = {}) {
  const { study = STUDY, scenes = SCENES } = page;
  const { held, asked } = comparingServer(comparison, page);
  const client = testClient();
  const { result } = renderHook(
    () => {
      const shown = useComparison(study, scenes);
      return { shown, actions: useActions(study, scenes, shown) };
    },
    { wrapper: ({ children }) => <Around client={client}>{children}</Around> },
  );
  const counted = () => asked.filter(({ path }) => path.endsWith("/compare/histograms"));
  return { held, result, counted };
}

/** Does something on the page, whatever it gives back. */
const perform = (work: () => unknown) =>
  act(() => {
    work();
  });
const onScreen = () => useCompare.getState();
const setupNow = (): ChangeSetup => onScreen().comparison!.setup!;
const thresholds = () => setupNow().rules.flatMap(({ all }) => all.map(({ value }) => value));
/** A study that is compared already, once its histograms are there. */
async function compared(comparison: Comparison, page: Page = {}) {
  const hook = begin(comparison, page);
  await waitFor(() => expect(hook.result.current.shown.histograms.data).toBeDefined());
  return hook;
}

describe("a study that is compared for the first time", () => {
  test("begins with the pair around its event and thresholds between its own heaps", async () => {
    const { result } = begin(null);
    await waitFor(() => expect(onScreen().comparison).not.toBeNull(), { timeout: 3000 });
    const { beforeId, afterId, setup } = onScreen().comparison!;
    expect([beforeId, afterId]).toEqual([idOf(1), idOf(2)]);
    expect(setup!.measure).toBe("logRatio");
    const [fall, dark] = setup!.rules[0]!.all.map(({ value }) => value);
    expect(fall).toBeGreaterThan(-9);
    expect(fall).toBeLessThan(0);
    expect(dark).toBeGreaterThan(-19);
    expect(dark).toBeLessThan(-8);
    // It is no step that could be undone.
    expect(onScreen().past).toEqual([]);
    await waitFor(() => expect(result.current.actions.counting).toBeNull());
  });

  test("of optical dates begins with the index of its hazard, at published breaks", async () => {
    const study = aStudy({ hazard: "fire" });
    begin(null, { study, scenes: SCENES.slice(2) });
    await waitFor(() => expect(onScreen().comparison).not.toBeNull(), { timeout: 3000 });
    expect(setupNow()).toMatchObject({ measure: "indexLoss", band: 0 });
    expect(thresholds()).toContain(0.66);
  });

  test("with one date alone proposes nothing", async () => {
    const { result } = begin(null, { scenes: SCENES.slice(0, 1) });
    await waitFor(() => expect(result.current.shown.sides).toBeDefined());
    expect(onScreen().comparison).toBeNull();
    expect(result.current.shown.kinds).toEqual([]);
  });

  test("whose pair was deleted takes another and keeps its rules", async () => {
    const lost = { ...radar(), beforeId: idOf(9) };
    lost.setup!.rules[0]!.all[0]!.value = -4.5;
    begin(lost);
    await waitFor(() => expect(onScreen().comparison?.beforeId).toBe(idOf(1)), { timeout: 3000 });
    expect(thresholds()[0]).toBe(-4.5);
    expect(onScreen().past).toHaveLength(1);
  });
});

describe("another measure", () => {
  test("with limits of its own is taken at once, without a count", async () => {
    const { result, counted } = await compared(radar());
    const asked = counted().length;
    perform(() => result.current.actions.pickMeasure("noChange"));
    expect(setupNow().measure).toBe("noChange");
    // A chance of less than five in a hundred that nothing changed.
    expect(thresholds()).toEqual([5]);
    expect(result.current.actions.counting).toBeNull();
    await waitFor(() => expect(counted().length).toBe(asked + 1));
  });

  test("whose numbers mean the same keeps them", async () => {
    const optical = { ...radar({ measure: "indexLoss" }), beforeId: idOf(3), afterId: idOf(4) };
    const { result } = await compared(optical);
    const before = thresholds();
    perform(() => result.current.actions.pickMeasure("difference"));
    expect(setupNow().measure).toBe("difference");
    expect(thresholds()).toEqual(before);
  });

  test("is counted first; until then everything on screen stays as it is", async () => {
    let open = () => {};
    const gate = new Promise<void>((ok) => {
      open = ok;
    });
    const { result } = await compared(radar(), {
      histograms: async ({ body }) => {
        if (JSON.stringify(body).includes('"measure":"changeVector"')) {
          await gate;
        }
        return HISTOGRAMS;
      },
    });
    const before = onScreen().comparison;
    perform(() => result.current.actions.pickMeasure("changeVector"));
    await waitFor(() => expect(result.current.actions.counting).not.toBeNull());
    expect(onScreen().comparison).toBe(before);
    open();
    await waitFor(() => expect(setupNow().measure).toBe("changeVector"));
    expect(onScreen().past.at(-1)).toBe(before);
    act(() => onScreen().undo());
    expect(onScreen().comparison).toBe(before);
  });

  test("that cannot be counted leaves the old one, and says why", async () => {
    const { result } = await compared(radar(), {
      histograms: ({ body }) =>
        JSON.stringify(body).includes('"measure":"changeVector"')
          ? new Refusal(422, { code: "invalid", message: "Too few cells", hint: "Take more." })
          : HISTOGRAMS,
    });
    const say = jest.spyOn(useUi.getState(), "say");
    perform(() => result.current.actions.pickMeasure("changeVector"));
    await waitFor(() =>
      expect(say).toHaveBeenCalledWith(expect.stringMatching(/Too few/), "wrong"),
    );
    expect(setupNow().measure).toBe("logRatio");
    expect(result.current.actions.counting).toBeNull();
    say.mockRestore();
  });

  test("picked over one that is still counted is the only one that comes", async () => {
    const gates = new Map<string, () => void>();
    const { result } = await compared(radar(), {
      histograms: async ({ body }) => {
        const measure = /"measure":"(\w+)"/.exec(JSON.stringify(body))![1]!;
        if (measure !== "logRatio") {
          await new Promise<void>((ok) => gates.set(measure, ok));
        }
        return HISTOGRAMS;
      },
    });
    perform(() => result.current.actions.pickMeasure("changeVector"));
    perform(() => result.current.actions.pickMeasure("formula"));
    await waitFor(() => expect([...gates.keys()].sort()).toEqual(["changeVector", "formula"]));
    gates.get("formula")!();
    await waitFor(() => expect(setupNow().measure).toBe("formula"));
    gates.get("changeVector")!();
    await new Promise((ok) => setTimeout(ok, 100));
    expect(setupNow().measure).toBe("formula");
  });

  test("that needs no count takes the place of one that is still counted", async () => {
    let open = () => {};
    const gate = new Promise<void>((ok) => {
      open = ok;
    });
    const { result } = await compared(radar(), {
      histograms: async ({ body }) => {
        if (JSON.stringify(body).includes('"measure":"changeVector"')) {
          await gate;
        }
        return HISTOGRAMS;
      },
    });
    perform(() => result.current.actions.pickMeasure("changeVector"));
    await waitFor(() => expect(result.current.actions.counting).not.toBeNull());
    perform(() => result.current.actions.pickMeasure("noChange"));
    expect(result.current.actions.counting).toBeNull();
    open();
    await new Promise((ok) => setTimeout(ok, 100));
    expect(setupNow().measure).toBe("noChange");
  });
});

describe("another band", () => {
  test("that is compared alike keeps measure and thresholds", async () => {
    const { result } = await compared(radar());
    const before = thresholds();
    perform(() => result.current.actions.pickBand(1));
    expect(setupNow()).toMatchObject({ band: 1, measure: "logRatio" });
    expect(thresholds()).toEqual(before);
  });

  test("that is compared otherwise takes a measure and thresholds of its own", async () => {
    const bands = [aBand(), NBR];
    const scenes = [dated(1, "radar", "02", bands), dated(2, "radar", "14", bands)];
    const { result } = await compared(radar(), { scenes });
    perform(() => result.current.actions.pickBand(1));
    await waitFor(() => expect(setupNow().band).toBe(1));
    expect(setupNow().measure).toBe("indexLoss");
    // Classes of water make no sense of a loss of NBR: it has published breaks.
    expect(setupNow().rules.map(({ name }) => name)).not.toContain("New water");
    expect(thresholds()).toContain(0.66);
  });

  test("that is not there changes nothing", async () => {
    const { result } = await compared(radar());
    const before = onScreen().comparison;
    perform(() => result.current.actions.pickBand(7));
    expect(onScreen().comparison).toBe(before);
  });
});

describe("presets and going back", () => {
  test("a ready set of classes is one step; open water takes its thresholds from the pair", async () => {
    const { result } = await compared(radar());
    for (const preset of PRESETS) {
      const steps = onScreen().past.length;
      perform(() => result.current.actions.takePreset(preset));
      await waitFor(() => expect(onScreen().past).toHaveLength(steps + 1));
      expect(setupNow().rules.length).toBeGreaterThan(0);
      expect(setupNow().groups).toBeNull();
      const labels = setupNow().rules.map(({ label }) => label);
      expect(new Set(labels).size).toBe(labels.length);
    }
  });

  test("a saved preset leaves out limits that the study cannot have", async () => {
    const { result } = await compared(radar());
    const saved: SavedPreset = {
      ...{ id: idOf(8), name: "Mine", comparing: "power" as const, unit: "dB", formula: null },
      measure: "smallChanges",
      own: { falseAlarmKm2: 2 },
      rules: setupNow().rules.slice(0, 1),
      limits: { ...setupNow().limits, studyArea: true, maxSlopeDeg: 8, minPatchCells: 12 },
    };
    perform(() => result.current.actions.takeSaved(saved));
    expect(setupNow().rules).toHaveLength(1);
    expect(setupNow().falseAlarmKm2).toBe(2);
    expect(setupNow().limits).toMatchObject({
      studyArea: false,
      maxSlopeDeg: null,
      minPatchCells: 12,
    });
  });

  test("going back counts anew and begins as the pair began", async () => {
    const { result } = await compared(radar());
    perform(() => result.current.actions.takePreset(PRESETS.find(({ id }) => id === "severity")!));
    perform(() => result.current.actions.reset());
    await waitFor(() => expect(setupNow().rules[0]!.name).toBe("New water"));
    expect(thresholds()[0]).toBeGreaterThan(-9);
  });
});

describe("pairs and kinds", () => {
  test("another pair keeps the settings", async () => {
    const { result } = await compared(radar());
    const { setup } = onScreen().comparison!;
    perform(() => result.current.actions.setPair(idOf(2), idOf(1)));
    expect(onScreen().comparison).toEqual({ beforeId: idOf(2), afterId: idOf(1), setup });
  });

  test("a measure that is still being counted for the old pair does not come to the new one", async () => {
    const { result } = await compared(radar());
    const { setup } = onScreen().comparison!;
    perform(() => {
      result.current.actions.pickMeasure("changeVector");
      result.current.actions.setPair(idOf(2), idOf(1));
    });
    await new Promise((settled) => setTimeout(settled, 300));
    expect(onScreen().comparison).toEqual({ beforeId: idOf(2), afterId: idOf(1), setup });
    expect(result.current.actions.counting).toBeNull();
  });

  test("other classes do not keep limits on the ones that they take the place of", async () => {
    const own = radar();
    const limits = {
      ...own.setup!.limits,
      standing: { sceneIds: [idOf(3)], op: "<" as const, value: -14, label: 1 },
      beside: { label: 4, of: 1, withinCells: 9 },
    };
    const { result } = await compared({ ...own, setup: { ...own.setup!, limits } });
    perform(() => result.current.actions.pickMeasure("smallChanges"));
    expect(setupNow()).toMatchObject({
      measure: "smallChanges",
      limits: { standing: null, beside: null, maxSlopeDeg: limits.maxSlopeDeg },
    });
  });
  test("small changes look for what is smaller than the smallest patch, at a rate of their own", async () => {
    const { result } = await compared(radar());
    perform(() => result.current.actions.pickMeasure("smallChanges"));
    expect(setupNow()).toMatchObject({ measure: "smallChanges", falseAlarmKm2: 10 });
    expect(setupNow().limits.minPatchCells).toBeNull();
    expect(thresholds()).toEqual([1, -1]);
  });

  test("the other kind begins afresh, and the first is found again as it was left", async () => {
    const { result } = await compared(radar({ measure: "logRatio" }));
    const { setup } = onScreen().comparison!;
    expect(result.current.shown.kinds).toEqual(["radar", "optical"]);
    perform(() => result.current.actions.setKind("optical"));
    await waitFor(() => expect(onScreen().comparison?.beforeId).toBe(idOf(3)));
    expect(onScreen().comparison!.others).toEqual({
      radar: { beforeId: idOf(1), afterId: idOf(2), setup },
    });
    await waitFor(() => expect(result.current.shown.kind).toBe("optical"));
    perform(() => result.current.actions.setKind("radar"));
    expect(onScreen().comparison).toMatchObject({ beforeId: idOf(1), afterId: idOf(2), setup });
    expect(onScreen().comparison!.others).toHaveProperty("optical.beforeId", idOf(3));
  });
});

describe("what is on screen belongs to one version", () => {
  test("a date that cannot be compared is named with its reason", async () => {
    const sides = SCENES.map(sideOf);
    const bad = { ...sides[1]!, node: null, info: null, hash: null, problem: "No elevation" };
    const { result } = begin(radar(), { sides: [sides[0]!, bad] });
    await waitFor(() =>
      expect(result.current.shown.problem).toBe("Scene 2: No elevation. See Prepare."),
    );
    expect(result.current.shown.able).toHaveLength(1);
  });

  test("classes are not ready while the server's answer is of other settings", async () => {
    const { result } = await compared(radar());
    expect(result.current.shown.classesReady).toBe(false);
    expect(result.current.shown.numbers).toMatchObject({ areas: null, isExact: false });
  });

  test("settings that make no map say why", async () => {
    const { result } = await compared(radar());
    perform(() => result.current.actions.setPair(idOf(1), idOf(3)));
    await waitFor(() => expect(result.current.shown.problem).toMatch(/bands|band/));
  });
});
