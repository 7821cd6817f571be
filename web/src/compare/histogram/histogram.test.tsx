/** @jest-environment jsdom */
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { addToHistogram, emptyHistogram } from "@hindglance/core/raster/histogram";
import type { FirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { firstMapOfFields } from "../../testing/comparing";
import { lcg } from "@hindglance/core/testing/support";
import { renderPart } from "../../testing/page";
import { DECIBEL, plainUnit } from "../units";
import { axisOf, rangeOf, ticksOf } from "./axis";
import { Hangs } from "./Hangs";
import { Suggestions } from "./Suggestions";
import { ThresholdLine } from "./ThresholdLine";
import type { Threshold } from "./thresholds";

/** Two heaps: 100 cells about −12, 300 about 0. */
function twoHeaps() {
  const histogram = emptyHistogram(-30, 10, 400);
  const values = Float32Array.from({ length: 400 }, (_v, k) =>
    k < 100 ? -12 + (k % 11) / 5 - 1 : (k % 21) / 10 - 1,
  );
  addToHistogram(histogram, values);
  return histogram;
}
const threshold: Threshold = {
  key: "0.0",
  layer: "measure",
  op: "<",
  value: -6,
  at: [[0, 0]],
  color: "#c8246f",
  name: "New water",
};

describe("the axis", () => {
  test("of decibels ends at whole ones, a decibel beyond nearly all cells", () => {
    const [from, to] = rangeOf(twoHeaps(), true);
    expect([from, to].every(Number.isInteger)).toBe(true);
    expect(from).toBeLessThanOrEqual(-14);
    expect(to).toBeGreaterThanOrEqual(1);
  });
  test("of chances reaches to the rare ones, which are what matters", () => {
    const histogram = emptyHistogram(-4, 4, 80);
    // Of a million cells a hundred lie beyond two.
    addToHistogram(
      histogram,
      Float32Array.from({ length: 1_000_000 }, (_, i) => (i % 10_000 ? 0.05 : 2.05)),
    );
    expect(rangeOf(histogram, false, true)[1]).toBeGreaterThan(2);
    expect(rangeOf(histogram, false)[1]).toBeLessThan(1);
  });
  test("of nothing is that of the histogram", () => {
    expect(rangeOf(emptyHistogram(0, 1, 10), false)).toEqual([0, 1]);
  });
  test("puts values outside at its ends, and numbers inside of the picture", () => {
    const axis = axisOf([-10, 10], 200);
    expect([axis.x(-99), axis.x(0), axis.x(99)]).toEqual([0, 100, 200]);
    expect([axis.labelX(-10), axis.labelX(10)]).toEqual([16, 184]);
  });
  test("has round numbers, clear of the thresholds, in as many decimals as they need", () => {
    const wide = axisOf([-15, 10], 400);
    expect(ticksOf(wide, []).values).toEqual([-15, -10, -5, 0, 5, 10]);
    expect(ticksOf(wide, [-4.6]).values).not.toContain(-5);
    const narrow = ticksOf(axisOf([0, 0.3], 400), []);
    expect(narrow.decimals).toBe(2);
    expect(narrow.values.map((value) => Number(value.toFixed(2)))).toEqual([
      0, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3,
    ]);
  });
});

describe("a threshold", () => {
  const show = (value: number) => {
    const set: number[] = [];
    renderPart(
      <svg>
        <ThresholdLine
          threshold={{ ...threshold, value }}
          what="Change"
          axis={axisOf([-10, 10], 200)}
          unit={DECIBEL}
          row={0}
          isPicked
          pick={() => {}}
          onDrag={() => {}}
          onDrop={() => {}}
          onSet={(next) => set.push(next)}
        />
      </svg>,
    );
    screen.getByRole("slider", { name: "Change threshold, New water" }).focus();
    return set;
  };
  test("moves by a step, by ten with Shift", async () => {
    const set = show(-6);
    await userEvent.keyboard("{ArrowLeft}{Shift>}{ArrowRight}{/Shift}{Enter}");
    expect(set).toEqual([-6.1, -5]);
  });
  test("stays within the histogram", async () => {
    const set = show(9.95);
    await userEvent.keyboard("{Shift>}{ArrowRight}{/Shift}");
    expect(set).toEqual([10]);
  });
});

describe("suggestions", () => {
  const show = (op: Threshold["op"], layer: Threshold["layer"], first: FirstMap | null = null) => {
    const set: number[] = [];
    renderPart(
      <Suggestions
        histogram={twoHeaps()}
        halves={[]}
        first={first}
        tiles={{ value: -5.5, found: 3, tiles: 9 }}
        layer={layer}
        unit={DECIBEL}
        threshold={{ ...threshold, op, layer }}
        onSet={(value) => set.push(value)}
      />,
    );
    return set;
  };
  test("part the two heaps; a click takes one", async () => {
    const set = show("<", "measure");
    await userEvent.click(screen.getByRole("button", { name: /^Otsu −/ }));
    expect(set[0]).toBeGreaterThan(-11);
    expect(set[0]).toBeLessThan(-1);
  });
  test("for the upper side of a change are those of the other side", async () => {
    const set = show(">", "measure");
    await userEvent.click(screen.getByRole("button", { name: /^Tiles/ }));
    expect(set).toEqual([5.5]);
  });
  test("tell what they rest on, and those that part nothing are not offered", () => {
    show("<", "measure");
    const otsu = screen.getByRole("button", { name: /^Otsu −/ });
    expect(otsu.title).toMatch(/Ashman's D \d+\.\d, valley \d+ %, smaller side 25\.0 %/);
    const random = lcg(2);
    const one = emptyHistogram(-30, 10, 400);
    addToHistogram(
      one,
      Float32Array.from({ length: 40_000 }, () => random() + random() + random() + random() - 2),
    );
    renderPart(
      <Suggestions
        histogram={one}
        halves={[]}
        first={null}
        tiles={null}
        layer="measure"
        unit={DECIBEL}
        threshold={{ ...threshold, name: "Other" }}
        onSet={() => {}}
      />,
    );
    const others = screen.getAllByRole("button").filter(({ title }) => title.includes("Other"));
    expect(others.map(({ textContent }) => textContent.split(" −")[0])).toEqual(["3 σ", "5 %"]);
  });
  test("where water came: first those of both dates", async () => {
    const first = firstMapOfFields(true);
    const set = show("<", "measure", first);
    await userEvent.click(screen.getByRole("button", { name: /^Both dates/ }));
    expect(set).toEqual([first.rules[0]!.all[0]!.value]);
  });
  test("where nothing changed: none, unless somebody wants them", async () => {
    show("<", "measure", firstMapOfFields(false));
    expect(screen.getByText(/No sign of open water change/)).toBeTruthy();
    expect(screen.queryByRole("button", { name: /^Otsu/ })).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "Show methods anyway" }));
    expect(screen.getByRole("button", { name: /^Otsu −/ })).toBeTruthy();
  });
  test("of a date are taken as they are", async () => {
    const set = show(">", "after");
    await userEvent.click(screen.getByRole("button", { name: /^Tiles/ }));
    expect(set).toEqual([-5.5]);
  });
});

describe("what hangs on a threshold", () => {
  const show = (value: number, seenM2: number | null) =>
    renderPart(
      <Hangs
        histogram={twoHeaps()}
        threshold={{ ...threshold, value }}
        step={0.5}
        seenM2={seenM2}
        unit={DECIBEL}
      />,
    );
  test("is an area once it is known how much was seen, and a share before", () => {
    show(-6, 4e6);
    expect(screen.getByText(/^By this layer alone 1\.00 km²; ±0\.5 dB: 1\.00–1\.00$/)).toBeTruthy();
    show(-6, null);
    expect(screen.getByText(/^By this layer alone 25\.0 %/)).toBeTruthy();
  });
  test("is called fragile where a small step moves much of it", () => {
    show(-12, 4e6);
    expect(screen.getByText("fragile")).toBeTruthy();
  });
  test("between the heaps is not", () => {
    show(-6, 4e6);
    expect(screen.queryByText("fragile")).toBeNull();
  });
});

test("units of what is no decibel are hundredths", () => {
  expect(plainUnit("")).toEqual({ unit: "", decimals: 2, step: 0.01 });
});
