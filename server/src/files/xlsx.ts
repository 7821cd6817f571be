import { type Sheet, type SheetCell, writeWorkbook } from "@hindglance/formats/tables/workbook";
import type { Row } from "../report/rounded";
import { type TallyRow, type TableBlock, tallyRows } from "../report/tallyTable";
import type { FileKind, FileSource } from "./kind";
import { patchTable, patchesOf } from "./patches";
import { blocksOf } from "./table";

/** How numbers of a column are written, by how its name begins or ends. */
const FORMATS: readonly [RegExp, string][] = [
  [/^(cells|label|patches|number)/, "#,##0"],
  [/km2/, "#,##0.0000"],
  [/ha$/, "#,##0.00"],
  [/m2/, "#,##0"],
  [/percent/, "0.00"],
];
const columnOf = (name: string) => {
  const format = FORMATS.find(([pattern]) => pattern.test(name))?.[1];
  return format ? { name, format } : { name };
};

async function* all(rows: readonly (readonly SheetCell[])[]) {
  yield await Promise.resolve(rows);
}

/** Rows of one zone, with a total below them; areas in other units and shares are worked out. */
function zoneRows(rows: readonly TallyRow[], first: number): SheetCell[][] {
  const total = first + rows.length;
  const cells = rows.reduce((sum, row) => sum + row.cells, 0);
  const areaM2 = rows.reduce((sum, row) => sum + row.areaM2, 0);
  const line = (
    at: number,
    own: readonly SheetCell[],
    m2: number,
    known: SheetCell,
  ): SheetCell[] => [
    ...own,
    { formula: `F${at}/1000000`, result: m2 / 1e6 },
    { formula: `F${at}/10000`, result: m2 / 1e4 },
    known,
    {
      formula: `IF(F$${total}=0,0,100*F${at}/F$${total})`,
      result: areaM2 > 0 ? (100 * m2) / areaM2 : 0,
    },
  ];
  const sum = (column: string, result: number) => ({
    formula: `SUM(${column}${first}:${column}${total - 1})`,
    result,
  });
  const zone = rows[0]!.zone ?? "All";
  return [
    ...rows.map((row, k) => line(first + k, [zone, row.name, row.cells], row.areaM2, row.areaM2)),
    line(total, [zone, "Total seen", sum("C", cells)], areaM2, sum("F", areaM2)),
  ];
}

const AREA_COLUMNS = ["zone", "class", "cells", "km2", "ha", "m2", "percent of cells seen"];

/** Areas by zone with their totals. */
function areaSheet({ map, info }: FileSource): Sheet {
  const areas = tallyRows(map, info);
  const rows: SheetCell[][] = [];
  for (const zone of new Set(areas.map((row) => row.zone))) {
    const own = areas.filter((row) => row.zone === zone);
    // Rows are counted from 1, and the first is the head.
    rows.push(...zoneRows(own, rows.length + 2));
  }
  return { name: "Areas", columns: AREA_COLUMNS.map(columnOf), rows: all(rows) };
}

/** A block whose first line names its columns. */
function blockSheet({ name, rows: [head = [], ...rows] }: TableBlock): Sheet {
  return { name, columns: head.map((one) => columnOf(String(one))), rows: all(rows) };
}

/** Inputs: a name first in each line, and no head of their own. */
const inputSheet = (rows: readonly Row[]): Sheet => ({
  ...{ name: "Inputs", columns: [{ name: "input" }, { name: "what it is" }], rows: all(rows) },
});

async function* patchRows(source: FileSource) {
  const { valuesOf } = patchTable(source);
  for await (const patches of patchesOf(source)) {
    yield patches.map((patch) => [patch.number, ...valuesOf(patch)]);
  }
}

const patchSheet = (source: FileSource): Sheet => ({
  name: "Patches",
  columns: ["number", ...patchTable(source).fields.map(({ name }) => name)].map(columnOf),
  rows: patchRows(source),
});

/** Everything that is counted of a map as a workbook: areas with totals, inputs, the rest, patches. */
export const xlsx: FileKind = {
  extension: "xlsx",
  media: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
  title: "workbook",
  isPacked: true,
  async *bytes(source) {
    const blocks = await blocksOf(source);
    const rest = blocks.filter(({ name }) => name !== "Areas" && name !== "Inputs");
    const inputs = blocks.find(({ name }) => name === "Inputs")?.rows ?? [];
    yield* writeWorkbook(
      [areaSheet(source), inputSheet(inputs), ...rest.map(blockSheet), patchSheet(source)],
      new Date(source.map.provenance.writtenAt),
    );
  },
};
