/** @jest-environment jsdom */
import { act, fireEvent, renderHook, waitFor } from "@testing-library/react";
import type { AlignRow } from "@hindglance/contract/align";
import { aRow, heldAlign, moved, pointsWith } from "../testing/laid";
import { Around, answersTo, fakeServer, testClient } from "../testing/page";
import { aBand, aStudy, anImage, idOf } from "../testing/things";
import { useUi } from "../state/ui";
import { useAlign } from "./align";
import { fitOf, metresPerUnit, nextName, offsetFigures } from "./figures";
import { bandsOf, dayOf, nameOf, stateOf } from "./rows";
import { useHistory } from "./useHistory";
import { useMarking } from "./useMarking";
import { useSelection } from "./useSelection";

describe("how a date is named and lies", () => {
  test("with its day, unless its name holds that already", () => {
    expect(dayOf(aRow(2))).toBe("2 May 2025");
    expect(nameOf(aRow(2))).toBe("Date 2, 2 May 2025");
    expect(nameOf(aRow(2, { name: "HELIO1, 2 May 2025" }))).toBe("HELIO1, 2 May 2025");
    expect(nameOf(aRow(2, { acquiredAt: null }))).toBe("Date 2");
  });

  test("bands that are laid by are those that hold values", () => {
    const info = anImage({
      bands: [aBand(), aBand({ name: "q", role: "quality" }), aBand({ name: "m", role: "mask" })],
    });
    expect(bandsOf(aRow(1, { raw: { ...aRow(1).raw!, info } })).map(({ name }) => name)).toEqual([
      "VV",
    ]);
    expect(bandsOf(aRow(1, { raw: null }))).toEqual([]);
    expect(bandsOf(null)).toEqual([]);
  });

  test.each<[string, Partial<AlignRow>, string | null, string]>([
    ["the reference", {}, idOf(2), "the others are laid on it"],
    ["one that nothing was done to", {}, null, "as it lies"],
    ["a picture", { picture: true }, null, "no position yet"],
    ["one that cannot be laid", { problem: "still being imported" }, null, "still being imported"],
    [
      "one that was moved",
      { align: { place: moved(3, 4), level: null } },
      null,
      "moved 5.00 cells · RMSE 0.12",
    ],
    [
      "one with enough points",
      { align: { place: pointsWith(4), level: null } },
      null,
      "4 control points",
    ],
    [
      "one with too few",
      { align: { place: pointsWith(2), level: null } },
      null,
      "1 more point is needed",
    ],
    [
      "one with none",
      { align: { place: pointsWith(0), level: null } },
      null,
      "3 more points are needed",
    ],
  ])("%s", (_which, more, referenceId, words) => {
    expect(stateOf(aRow(2, more), referenceId)).toBe(words);
  });
});

describe("figures of a place", () => {
  test("a shift is told in cells east and south, without turn and at full scale", () => {
    const { east, south, turnDeg, scale } = offsetFigures(moved(1.5, -0.25), anImage().grid);
    expect([east, south]).toEqual([expect.closeTo(1.5, 6), expect.closeTo(-0.25, 6)]);
    expect(turnDeg).toBeCloseTo(0, 6);
    expect(scale).toBeCloseTo(1, 6);
  });

  test("a turn and a scale are found in the path", () => {
    const angle = (30 * Math.PI) / 180;
    const [cosine, sine] = [2 * Math.cos(angle), 2 * Math.sin(angle)];
    const place = moved(0, 0);
    const path = { ...place.path, x: [0, cosine, -sine], y: [0, sine, cosine] };
    const found = offsetFigures({ ...place, path }, anImage().grid);
    expect(found.turnDeg).toBeCloseTo(30, 6);
    expect(found.scale).toBeCloseTo(2, 6);
  });

  test("points on a line fix no plane, and the fit says so", () => {
    const place = pointsWith(3);
    const points = place.points.map((point, k) => ({ ...point, to: [k, k] as [number, number] }));
    expect(fitOf({ ...place, points }, false)).toHaveProperty("problem");
  });

  test("a unit of a scene that is twice as fine is half a metre", () => {
    const place = pointsWith(4);
    const points = place.points.map((point) => ({
      ...point,
      from: [2 * point.to[0], 2 * point.to[1]] as [number, number],
    }));
    const found = fitOf({ ...place, points }, false);
    expect("fit" in found && metresPerUnit(found.fit, [50, 50])).toBeCloseTo(0.5, 6);
  });

  test("a new point takes the next number that is free", () => {
    expect(nextName([])).toBe("1");
    const { points } = pointsWith(4);
    expect(nextName(points)).toBe("5");
    expect(nextName([points[0]!, { ...points[1]!, name: "3" }])).toBe("4");
  });
});

/** A page over a server that keeps what is done to dates. */
function begin(rows: AlignRow[], refuse = false) {
  const held = heldAlign(rows, refuse);
  fakeServer(answersTo(held.answers));
  const client = testClient();
  const wrapper = ({ children }: { children: React.ReactNode }) => (
    <Around client={client}>{children}</Around>
  );
  return { wrapper, puts: () => held.taken };
}

describe("which dates are worked with", () => {
  const study = aStudy({ compare: { beforeId: idOf(1), afterId: idOf(3), setup: null } });
  const select = async (rows: AlignRow[], of = study) => {
    const { wrapper } = begin(rows);
    const { result } = renderHook(() => useSelection(of), { wrapper });
    await waitFor(() => expect(result.current.isPending).toBe(false));
    const shown = () => [result.current.referenceId, result.current.date?.sceneId ?? null];
    return { result, shown };
  };

  test("the after date is laid on the before date until somebody picks others", async () => {
    const { result, shown } = await select([aRow(1), aRow(2), aRow(3)]);
    expect(shown()).toEqual([idOf(1), idOf(3)]);
    act(() => result.current.pickDate(idOf(2)));
    expect(shown()).toEqual([idOf(1), idOf(2)]);
    act(() => result.current.setReference(idOf(2)));
    expect(shown()).toEqual([idOf(2), idOf(3)]);
    act(() => result.current.pickDate(idOf(2)));
    expect(shown()).toEqual([idOf(1), idOf(2)]);
  });

  test("a date that was laid is shown on what it was laid on", async () => {
    const align = { place: { ...moved(1, 1), referenceId: idOf(2) }, level: null };
    const { result, shown } = await select([aRow(1), aRow(2), aRow(3, { align })]);
    act(() => result.current.pickDate(idOf(3)));
    expect(shown()).toEqual([idOf(2), idOf(3)]);
  });

  test("a picture is no reference, nor is a date that was moved itself", async () => {
    const rows = [
      aRow(1, { picture: true }),
      aRow(2, { align: { place: moved(1, 1), level: null } }),
      aRow(3),
    ];
    const { shown } = await select(rows, aStudy());
    expect(shown()).toEqual([idOf(3), idOf(1)]);
  });

  test("of one date alone there is nothing to lay", async () => {
    const { shown } = await select([aRow(1)], aStudy());
    expect(shown()).toEqual([idOf(1), null]);
  });
});

describe("marking points", () => {
  const mark = async (rows: AlignRow[], refuse = false) => {
    const { wrapper, puts } = begin(rows, refuse);
    const { result } = renderHook(
      () => {
        const all = useAlign("s1").data;
        const date = all?.find((row) => row.sceneId === idOf(2)) ?? null;
        const history = useHistory("s1", date);
        return { date, history, marking: useMarking(date, idOf(1), history) };
      },
      { wrapper },
    );
    await waitFor(() => expect(result.current.date).not.toBeNull());
    const names = () => result.current.marking.points?.points.map(({ name }) => name);
    return { result, puts, names };
  };

  test("a point waits for its other half, and is one then", async () => {
    const { result, puts, names } = await mark([aRow(1), aRow(2)]);
    act(() => result.current.marking.mark({ from: [1, 2] }));
    expect(result.current.marking.pending).toEqual({ from: [1, 2], to: null });
    expect(puts()).toEqual([]);
    act(() => result.current.marking.mark({ from: [3, 4] }));
    act(() => result.current.marking.mark({ to: [30, 40] }));
    await waitFor(() => expect(names()).toEqual(["1"]));
    expect(result.current.marking.points!.points[0]).toMatchObject({
      from: [3, 4],
      to: [30, 40],
      on: true,
    });
    expect(result.current.marking.pending).toEqual({ from: null, to: null });
    await waitFor(() => expect(puts()).toHaveLength(1));
  });

  test("Escape lets go of half a point", async () => {
    const { result } = await mark([aRow(1), aRow(2)]);
    act(() => result.current.marking.mark({ to: [1, 2] }));
    fireEvent.keyDown(window, { key: "a" });
    expect(result.current.marking.pending.to).toEqual([1, 2]);
    fireEvent.keyDown(window, { key: "Escape" });
    expect(result.current.marking.pending).toEqual({ from: null, to: null });
  });

  test("every change can be taken back, one by one", async () => {
    const { result, names } = await mark([aRow(1), aRow(2)]);
    expect(result.current.history.undo).toBeNull();
    for (const k of [1, 2]) {
      act(() => result.current.marking.mark({ from: [k, k], to: [k, k] }));
      await waitFor(() => expect(names()).toHaveLength(k));
    }
    act(() => result.current.history.undo!());
    await waitFor(() => expect(names()).toEqual(["1"]));
    act(() => result.current.history.undo!());
    await waitFor(() => expect(names()).toEqual([]));
    expect(result.current.history.undo).toBeNull();
  });

  test("the point that spoils the fit is named", async () => {
    const { result } = await mark([
      aRow(1),
      aRow(2, { align: { place: pointsWith(8, 40), level: null } }),
    ]);
    expect(result.current.marking.worst).toBe("p7");
  });

  test("what the server does not take is taken back, and said", async () => {
    const say = jest.spyOn(useUi.getState(), "say");
    const { result, names } = await mark([aRow(1), aRow(2)], true);
    act(() => result.current.marking.mark({ from: [1, 1], to: [1, 1] }));
    await waitFor(() =>
      expect(say).toHaveBeenCalledWith(expect.stringMatching(/lie on a line/), "wrong"),
    );
    await waitFor(() => expect(names()).toEqual([]));
    say.mockRestore();
  });

  test("a date is looked at over its reference, as Align leaves it", async () => {
    const { result } = await mark([aRow(1), aRow(2)]);
    act(() => result.current.marking.setAligned(false));
    act(() => result.current.marking.turnOver());
    expect(result.current.marking).toMatchObject({ over: true, aligned: true });
    act(() => result.current.marking.pick("p1"));
    expect(result.current.marking.picked).toBe("p1");
  });
});
