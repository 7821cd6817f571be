import type { ClassInfo } from "@hindglance/core/graph/image";
import { NO_CHANGE } from "@hindglance/core/tally/classNames";
import { Tally } from "@hindglance/core/tally/tally";
import { escapeXml } from "@hindglance/formats/escapeXml";
import { rounded } from "../report/rounded";
import type { FileKind, FileSource } from "./kind";

/** Types and uses of columns, by the numbers that readers of the table know. */
const INTEGER = 0;
const REAL = 1;
const TEXT = 2;
const USES = { generic: 0, count: 1, name: 2, value: 5, red: 6, green: 7, blue: 8 } as const;

interface Column {
  name: string;
  type: number;
  use: keyof typeof USES;
  of(one: ClassInfo, sum: { cells: number; areaM2: number }): string | number;
}

const channel = (from: number) => (one: ClassInfo) =>
  Number.parseInt(one.color.slice(from, from + 2), 16);

const COLUMNS: readonly Column[] = [
  { name: "value", type: INTEGER, use: "value", of: ({ label }) => label },
  { name: "class", type: TEXT, use: "name", of: ({ name }) => name },
  { name: "cells", type: INTEGER, use: "count", of: (_one, { cells }) => cells },
  { name: "area_m2", type: REAL, use: "generic", of: (_one, { areaM2 }) => rounded(areaM2, 2) },
  { name: "red", type: INTEGER, use: "red", of: channel(1) },
  { name: "green", type: INTEGER, use: "green", of: channel(3) },
  { name: "blue", type: INTEGER, use: "blue", of: channel(5) },
];

const columnText = ({ name, type, use }: Column, index: number): string =>
  `<FieldDefn index="${index}"><Name>${name}</Name><Type>${type}</Type><Usage>${USES[use]}</Usage></FieldDefn>\n`;

/** Names by value from 0 on; a value that no class has is left empty. */
function categories(classes: readonly ClassInfo[]): string[] {
  const names = new Map(classes.map(({ label, name }) => [label, name]));
  const last = Math.max(...names.keys());
  return Array.from({ length: last + 1 }, (_v, value) => names.get(value) ?? "");
}

function tableText({ map, info }: FileSource): string {
  const tally = Tally.from(map.tally);
  const classes = [NO_CHANGE, ...(info.classes ?? [])];
  const rows = classes.map((one, index) => {
    const values = COLUMNS.map(({ of }) => of(one, tally.total(one.label)));
    const fields = values.map((value) => `<F>${escapeXml(String(value))}</F>`).join("");
    return `<Row index="${index}">${fields}</Row>\n`;
  });
  const named = categories(classes).map((name) => `<Category>${escapeXml(name)}</Category>\n`);
  return (
    '<PAMDataset>\n<PAMRasterBand band="1">\n' +
    `<CategoryNames>\n${named.join("")}</CategoryNames>\n` +
    `<GDALRasterAttributeTable tableType="thematic">\n${COLUMNS.map(columnText).join("")}${rows.join("")}` +
    "</GDALRasterAttributeTable>\n</PAMRasterBand>\n</PAMDataset>\n"
  );
}

/** Names, colours and areas of the classes, as readers of GeoTIFF look for them beside the file. */
export const classTable: FileKind = {
  extension: "tif.aux.xml",
  media: "application/xml",
  title: "attribute table",
  isPacked: false,
  async *bytes(source) {
    yield await Promise.resolve(Buffer.from(tableText(source)));
  },
};
