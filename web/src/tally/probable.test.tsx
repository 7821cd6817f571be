/** @jest-environment jsdom */
import { screen, within } from "@testing-library/react";
import { renderPart } from "../testing/page";
import { aChangeMap } from "../testing/things";
import { ProbableTable } from "./ProbableTable";
import { areaRows } from "./probable";
import { accuracyOf } from "@hindglance/core/accuracy/estimates";
import { countsByStratum } from "@hindglance/core/accuracy/sample";

const plain = aChangeMap();
const first = plain.rows.find(({ zone, label }) => zone === null && label > 0)!;
const map = aChangeMap({
  doubt: {
    ...{ imageId: "i2", countedAt: "2025-05-15T08:00:00Z", others: [] },
    sums: {
      zones: 2,
      entries: [
        [first.label, 3e6, 1e8],
        [256 + first.label, 1.5e6, 0],
      ],
    },
  },
});

test("without doubt and without a sample there is nothing beside the map", () => {
  expect(areaRows(plain, null)).toEqual([]);
  const rows = areaRows(map, null);
  expect(rows.map(({ row }) => row.name)).toEqual([first.name]);
  expect(rows[0]!.probable!.areaM2).toBe(4.5e6);
});

test("mapped and probable areas stand side by side with the interval", () => {
  renderPart(<ProbableTable rows={areaRows(map, null)} unit="km2" sample={null} />);
  const row = within(screen.getByRole("table")).getAllByRole("row")[1]!;
  const cells = within(row).getAllByRole("cell");
  // 1.96 times the root of 80 π (251 cells) times 1e8 m⁴.
  const half = 1.959964 * Math.sqrt(80 * Math.PI * 1e8);
  expect(cells.map((cell) => Number(cell.textContent))).toEqual([
    expect.closeTo(first.areaM2 / 1e6, 3),
    4.5,
    expect.closeTo(half / 1e6, 3),
  ]);
});

test("a sample that was looked at puts adjusted areas beside them, with its interval", () => {
  const strata = [
    { id: 0, label: 0, cells: 900, areaM2: 9e6 },
    { id: first.label, label: first.label, cells: 100, areaM2: 1e6 },
  ];
  const counts = [
    { stratum: 0, reference: 0, units: 45 },
    { stratum: 0, reference: first.label, units: 5 },
    { stratum: first.label, reference: first.label, units: 50 },
  ];
  const accuracy = accuracyOf(countsByStratum(strata, counts))!;
  renderPart(<ProbableTable rows={areaRows(map, accuracy)} unit="km2" sample="Sample 1" />);
  const row = within(screen.getByRole("table")).getAllByRole("row")[1]!;
  const adjusted = within(row).getAllByRole("cell")[2]!.textContent;
  // A tenth of nine square kilometres and one.
  expect(adjusted).toMatch(/^1\.900/);
  const { low, high } = accuracy.classes.find(({ label }) => label === first.label)!.area;
  expect(adjusted).toContain(`${(low! / 1e6).toFixed(3)}–${(high! / 1e6).toFixed(3)}`);
  expect(screen.getByText("by Sample 1")).toBeTruthy();
});
