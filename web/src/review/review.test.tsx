/** @jest-environment jsdom */
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ChangeMap, PatchRow } from "../api/types";
import { DECIBEL } from "../compare/units";
import { pickOption, renderPart } from "../testing/page";
import { aChangeMap, NOT_DOUBTED } from "../testing/things";
import { PatchFilter } from "./PatchFilter";
import { PatchHead } from "./PatchHead";
import { PatchLine } from "./PatchLine";
import { PickedPatch } from "./PickedPatch";
import { RangeField } from "./RangeField";
import { ringOf } from "./lasso";
import { ALL_PATCHES, type PatchQuery, changeSort, firstAsk, isFiltered } from "./patches";

const map: ChangeMap = aChangeMap();
const patch: PatchRow = {
  number: 3,
  label: 1,
  cells: 1,
  areaM2: 12_345,
  perimeterM: 2500,
  measure: -9.84,
  elevation: null,
  ...NOT_DOUBTED,
  standing: "open",
  west: 20,
  south: -30.2,
  east: 20.2,
  north: -30,
};

const NO_LASSO = { isLasso: false, setLasso: () => {} };

describe("which patches", () => {
  const show = (ask: PatchQuery) => {
    const parts: Partial<PatchQuery>[] = [];
    renderPart(
      <PatchFilter
        map={map}
        ask={ask}
        change={(part) => parts.push(part)}
        unit={DECIBEL}
        lasso={NO_LASSO}
      />,
    );
    return parts;
  };
  test("leaves a class out, and asks for all when none or all are left", async () => {
    const parts = show(ALL_PATCHES);
    await userEvent.click(screen.getByRole("button", { name: "New water" }));
    expect(parts).toEqual([{ labels: [2] }]);
  });
  test("of one class, switched off, are all again", async () => {
    const parts = show({ ...ALL_PATCHES, labels: [2] });
    await userEvent.click(screen.getByRole("button", { name: "Standing water" }));
    expect(parts).toEqual([{ labels: null }]);
  });
  test("are asked for in hectares and counted in square metres", async () => {
    const parts = show({ ...ALL_PATCHES, leastM2: 20_000 });
    await userEvent.click(screen.getByRole("button", { name: "filtered" }));
    const field = screen.getByLabelText<HTMLInputElement>("Area, ha from");
    expect(field.value).toBe("2.00");
    await userEvent.clear(field);
    await userEvent.type(field, "3.5{Enter}");
    expect(parts).toEqual([{ leastM2: 35_000, mostM2: null }]);
  });
  test("are gone through by place, and by size again", async () => {
    const parts = show(ALL_PATCHES);
    await userEvent.click(screen.getByRole("button", { name: "by place" }));
    expect(parts).toEqual([{ sort: "place", down: false }]);
  });
  test("in a lasso are all again when it is taken away", async () => {
    const ring = ringOf({
      type: "MultiPolygon",
      coordinates: [
        [
          [
            [20.0000049, -30],
            [20.1, -30],
            [20.1, -30.1],
            [20.0000049, -30],
          ],
        ],
      ],
    });
    expect(ring).toEqual([20, -30, 20.1, -30, 20.1, -30.1]);
    const parts = show({ ...ALL_PATCHES, within: ring });
    await userEvent.click(screen.getByRole("button", { name: "Take the lasso away" }));
    expect(parts).toEqual([{ within: null }]);
  });
  test("a lasso of many corners is asked for by as many as can be, a mere click by none", () => {
    const circle = Array.from({ length: 251 }, (_v, k): [number, number] => [
      20 + Math.cos((2 * Math.PI * k) / 250),
      -30 + Math.sin((2 * Math.PI * k) / 250),
    ]);
    const ring = ringOf({ type: "MultiPolygon", coordinates: [[circle]] })!;
    expect(ring.length / 2).toBe(84);
    const place: [number, number] = [20, -30];
    expect(ringOf({ type: "MultiPolygon", coordinates: [[[place, place]]] })).toBeNull();
  });
  test("are asked for by a zone that they have a part in", async () => {
    const districts = {
      name: "Districts",
      file: "d.geojson",
      sha256: "0",
      names: ["Lowfen", "Tolm"],
    };
    const zoned = { ...map, provenance: { ...map.provenance, zones: districts } };
    const parts: Partial<PatchQuery>[] = [];
    renderPart(
      <PatchFilter
        map={zoned}
        ask={ALL_PATCHES}
        change={(part) => parts.push(part)}
        unit={DECIBEL}
        lasso={NO_LASSO}
      />,
    );
    await userEvent.click(screen.getByRole("button", { name: "filter" }));
    await pickOption("Zone", "Tolm");
    expect(parts).toEqual([{ zone: 2 }]);
  });
  test("are all again at a click, in the order and of the classes that they were", async () => {
    const ask: PatchQuery = { ...ALL_PATCHES, measureFrom: -5, labels: [1], sort: "number" };
    const parts = show(ask);
    await userEvent.click(screen.getByRole("button", { name: "filtered" }));
    await userEvent.click(screen.getByRole("button", { name: "All patches" }));
    const next = { ...ask, ...parts[0] };
    expect(isFiltered(next)).toBe(false);
    expect([next.labels, next.sort]).toEqual([[1], "number"]);
  });
});

describe("a range", () => {
  test("is open until an end is set, and open again at a click", async () => {
    const ends: [number | null, number | null][] = [];
    renderPart(
      <RangeField
        label="Elevation, m"
        decimals={0}
        from={null}
        to={40}
        set={(from, to) => ends.push([from, to])}
      />,
    );
    await userEvent.click(screen.getByRole("button", { name: "from" }));
    await userEvent.click(screen.getByRole("button", { name: "Elevation, m to: no end" }));
    expect(ends).toEqual([
      [0, 40],
      [null, null],
    ]);
  });
});

test("heads sort, say by which and which way, and a second click turns the order", async () => {
  const asked: string[] = [];
  renderPart(
    <PatchHead
      isAsked={false}
      ask={ALL_PATCHES}
      unit={DECIBEL}
      changeBy="strength"
      sort={(by) => asked.push(by)}
    />,
  );
  expect(screen.getByRole("columnheader", { name: "ha" }).getAttribute("aria-sort")).toBe(
    "descending",
  );
  expect(screen.getByRole("columnheader", { name: "dB" }).getAttribute("aria-sort")).toBe("none");
  await userEvent.click(screen.getByRole("button", { name: "km" }));
  await userEvent.click(screen.getByRole("button", { name: "dB" }));
  expect(asked).toEqual(["perimeter", "strength"]);
});

test("a map of small changes begins with the strongest, whichever sign; others with the largest", () => {
  const map = aChangeMap();
  expect([firstAsk(map).sort, changeSort(map)]).toEqual(["area", "measure"]);
  const small = { ...map, setup: { ...map.setup, measure: "smallChanges" as const } };
  expect([firstAsk(small).sort, firstAsk(small).down, changeSort(small)]).toEqual([
    "strength",
    true,
    "strength",
  ]);
});

describe("a patch", () => {
  const line = (row: PatchRow | null, pick = (_patch: PatchRow, _index: number) => {}) =>
    renderPart(
      <PatchLine
        map={map}
        patch={row}
        index={7}
        isPicked={false}
        unit={DECIBEL}
        style={{}}
        pick={pick}
      />,
    );
  test("is a row of its figures; what it lacks is a dash", async () => {
    const picked: number[] = [];
    line(patch, (one, index) => picked.push(one.number, index));
    const row = screen.getByRole("row");
    expect(row.getAttribute("aria-rowindex")).toBe("9");
    const cells = screen.getAllByRole("cell").map((cell) => cell.textContent);
    expect(cells).toEqual(["New water", "3", "1.23", "2.50", "−9.8", "–", "–", "open"]);
    await userEvent.click(row);
    expect(picked).toEqual([3, 7]);
  });
  test("that has not come yet is no patch to pick", async () => {
    const picked: number[] = [];
    line(null, () => picked.push(1));
    await userEvent.click(screen.getByRole("row"));
    expect(picked).toEqual([]);
  });
  test("that is picked is told in full", () => {
    renderPart(<PickedPatch map={map} patch={patch} unit={DECIBEL} />);
    const text = screen.getByTestId("picked").textContent;
    expect(text).toContain("1.23 ha new water");
    expect(text).toContain("1 cell · outline 2.50 km · change −9.8 dB · −30.1000, 20.1000");
  });
});
