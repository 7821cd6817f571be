import { readFileSync } from "node:fs";
import { join } from "node:path";
import { cataloguePage, limitsTable, measuresTable } from "./catalogue";
import { LIMIT_PARTS } from "./change/limits/list";
import { MEASURE_PARTS } from "./change/measures/list";

/** A page without what a formatter changes: widths of tables, ends of lines. */
const plain = (text: string): string => text.replace(/-+/g, "-").replace(/\s+/g, " ").trim();

test("docs/catalogue.md says what the files of steps, measures and limits say", () => {
  const page = readFileSync(join(__dirname, "../../docs/catalogue.md"), "utf8");
  expect(plain(page)).toBe(plain(cataloguePage()));
});

test("a measure tells of what it is taken, and its unit", () => {
  const lines = measuresTable(MEASURE_PARTS).split("\n");
  expect(lines.find((line) => line.startsWith("| Log ratio"))).toMatch(
    /\| yes \| – \| – \| of the bands \|$/,
  );
  expect(lines.find((line) => line.startsWith("| Relative change"))).toMatch(
    /\| – \| yes \| – \| % \|$/,
  );
});

test("a limit tells what can be set", () => {
  const lines = limitsTable(LIMIT_PARTS).split("\n");
  expect(lines.find((line) => line.startsWith("| Slope"))).toMatch(
    /\| At most \(0\.1 to 90 °\) \|$/,
  );
  expect(lines).toHaveLength(2 + LIMIT_PARTS.length);
});
