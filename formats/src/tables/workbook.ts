import { PassThrough } from "node:stream";
import type { CellValue, Worksheet } from "exceljs";

/** Rows of a sheet at the most, its head among them. */
const MOST_ROWS = 1_000_000;
/** Rows that are handed over before others may work. */
const PART = 1000;

/** A number that is worked out from others, with what comes out: a reader may not work it out itself. */
export interface Formula {
  formula: string;
  result: number;
}
/** What stands in a cell; null where nothing does. */
export type SheetCell = string | number | boolean | null | Formula;

/** A column by its name and how its numbers are written, as spreadsheets say it. */
export interface SheetColumn {
  name: string;
  format?: string;
}

/** A sheet: a head where it has columns, and rows as they come. */
export interface Sheet {
  name: string;
  columns: readonly SheetColumn[];
  rows: AsyncIterable<readonly (readonly SheetCell[])[]>;
}

const valueOf = (cell: SheetCell): CellValue => cell;

/** Widths by the head: what stands below is about as long. */
const widthOf = ({ name }: SheetColumn): number => Math.min(40, Math.max(11, name.length + 2));

function begin(sheet: Worksheet, columns: readonly SheetColumn[]): void {
  sheet.columns = columns.map((column) => ({
    width: widthOf(column),
    ...(column.format ? { style: { numFmt: column.format } } : {}),
  }));
  if (columns.some(({ name }) => name !== "")) {
    const head = sheet.addRow(columns.map(({ name }) => name));
    head.font = { bold: true };
    head.commit();
  }
}

/**
 * Sheets as a workbook of Office Open XML (ECMA-376), rows given away as they come. Texts are texts,
 * whatever they begin with. What passes a million rows goes on in a sheet of its own.
 * @param at when what it holds was made
 */
export async function* writeWorkbook(
  sheets: readonly Sheet[],
  at: Date,
): AsyncGenerator<Uint8Array> {
  // Few processes write one, and reading it in takes its time.
  const { default: excel } = await import("exceljs");
  const out = new PassThrough();
  // Texts are kept once each: names of classes and what was said, a few.
  const options = { stream: out, useStyles: true, useSharedStrings: true };
  const book = new excel.stream.xlsx.WorkbookWriter(options);
  book.created = at;
  book.modified = at;
  const write = async () => {
    for (const { name, columns, rows } of sheets) {
      let nth = 1;
      const next = () => {
        const title = nth === 1 ? name : `${name} ${nth}`;
        const views = [{ state: "frozen" as const, ySplit: columns.length > 0 ? 1 : 0 }];
        const sheet = book.addWorksheet(title, { views });
        begin(sheet, columns);
        return sheet;
      };
      let sheet = next();
      let count = 0;
      for await (const some of rows) {
        for (const row of some) {
          if (count === MOST_ROWS - 1) {
            sheet.commit();
            [nth, count] = [nth + 1, 0];
            sheet = next();
          }
          sheet.addRow(row.map(valueOf)).commit();
          count++;
          if (count % PART === 0) {
            await new Promise(setImmediate);
          }
        }
      }
      sheet.commit();
    }
    await book.commit();
  };
  const written = write();
  written.catch((error: Error) => out.destroy(error));
  yield* out as AsyncIterable<Uint8Array>;
  await written;
}
