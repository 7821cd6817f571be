/** @jest-environment jsdom */
import { screen, within } from "@testing-library/react";
import { renderPart } from "../testing/page";
import { aChangeMap } from "../testing/things";
import { ProbableTable } from "./ProbableTable";
import { probableRows } from "./probable";

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

test("classes that are mapped nowhere have no probable area", () => {
  expect(probableRows(plain)).toEqual([]);
  const rows = probableRows(map);
  expect(rows.map(({ row }) => row.name)).toEqual([first.name]);
  expect(rows[0]!.probable.areaM2).toBe(4.5e6);
});

test("mapped and probable areas stand side by side with the interval", () => {
  renderPart(<ProbableTable rows={probableRows(map)} unit="km2" />);
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
