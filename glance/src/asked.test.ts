import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { FIRST_RECIPES } from "@hindglance/core/recipe/recipe";
import { askedIn } from "./asked";

let folder: string;
let product: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "asked-"));
  product = join(folder, "a.zip");
  writeFileSync(product, "made up");
});
afterAll(() => rmSync(folder, { recursive: true }));

const pair = () => ["--before", product, "--after", product, "--out", "made"];
const written = (name: string, text: string): string => {
  const path = join(folder, name);
  writeFileSync(path, text);
  return path;
};

/** One square of water, as a file tells of it. */
const AREAS = JSON.stringify({
  type: "FeatureCollection",
  features: [
    {
      type: "Feature",
      properties: { class: "Water" },
      geometry: {
        type: "Polygon",
        coordinates: [
          [
            [1, 1],
            [2, 1],
            [2, 2],
            [1, 2],
            [1, 1],
          ],
        ],
      },
    },
  ],
});

test("a pair and what lies beside it", () => {
  const asked = askedIn([
    ...["flood", ...pair(), "--orbit", product, "--orbit", product, "--event", "2025-05-12"],
    ...["--files", "cog, csv", "--after-date=2025-05-14T18:00:00Z", "--server", "http://here"],
  ]);
  expect(asked).toMatchObject({
    ...{ recipe: FIRST_RECIPES.flood, isList: false, out: "made", files: ["cog", "csv"] },
    ...{ server: "http://here", isCheck: false },
  });
  expect(asked.pairs).toEqual([
    {
      ...{ before: product, after: product, name: null, elevation: null, area: null, zones: null },
      ...{ event: "2025-05-12T00:00:00Z", orbits: [product, product], beside: [], heights: null },
      ...{ beforeDate: null, afterDate: "2025-05-14T18:00:00Z" },
      ...{ known: { both: null, before: null, after: null }, model: null, isClassified: false },
    },
  ]);
});

test("a recipe out of a file, for whatever is looked for", () => {
  const recipe = { ...FIRST_RECIPES.fire, name: "Heath" };
  const path = written("recipe.json", JSON.stringify(recipe));
  expect(askedIn(["heath", ...pair(), "--recipe", path]).recipe).toEqual(recipe);
});

test("a day is its first moment, where a product's files do not say when it was taken", () => {
  const [only] = askedIn(["flood", ...pair(), "--before-date", "2025-05-02"]).pairs;
  expect(only!.beforeDate).toBe("2025-05-02T00:00:00Z");
});

test("what became of what wants to be told what the dates are classified by", () => {
  expect(() => askedIn(["from-to", ...pair()])).toThrow(/--known .* --model, or --classified/);
  const areas = written("areas.geojson", AREAS);
  const [known] = askedIn(["from-to", ...pair(), "--known-before", areas]).pairs;
  expect(known).toMatchObject({ known: { both: null, before: areas }, isClassified: false });
  const [cover] = askedIn(["from-to", ...pair(), "--classified"]).pairs;
  expect(cover!.isClassified).toBe(true);
  expect(() => askedIn(["from-to", ...pair(), "--known", "none.json"])).toThrow(
    "--known: there is no file none.json",
  );
});

test("a list has its pairs line by line, with the rest for all of them", () => {
  const lines = ["Before,AFTER,elevation,name", "x.zip,y.zip,,", `"a, b.zip",c.zip,own.tif,Third`];
  const path = written("list.csv", lines.join("\n"));
  const { pairs, isList, recipe } = askedIn(["pairs", path, "--out", "o", "--elevation", product]);
  expect([isList, recipe]).toEqual([true, FIRST_RECIPES.flood]);
  expect(
    pairs.map(({ before, after, elevation, name }) => [before, after, elevation, name]),
  ).toEqual([
    ["x.zip", "y.zip", product, null],
    ["a, b.zip", "c.zip", "own.tif", "Third"],
  ]);
});

test.each([
  ["nothing", () => [], /What to look for is missing/],
  ["no pair", () => ["flood", "--out", "o"], /--before is missing/],
  ["one date", () => ["flood", "--before", product, "--out", "o"], /--after is missing/],
  ["no folder", () => ["flood", "--before", product, "--after", product], /--out is missing/],
  [
    "a file that is not there",
    () => ["flood", ...pair(), "--area", "no.json"],
    /--area: there is no file no.json/,
  ],
  ["an unknown kind", () => ["drought", ...pair()], /“drought” is none of flood, fire/],
  ["an unknown option", () => ["flood", ...pair(), "--speed", "9"], /--speed/],
  ["a word too many", () => ["flood", "quickly", ...pair()], /“quickly” is not understood/],
  [
    "an unknown file",
    () => ["flood", ...pair(), "--files", "cog,paper"],
    /no file “paper”; there are sheetPdf, /,
  ],
  [
    "areas without a class",
    () => [
      ...["from-to", ...pair(), "--known"],
      written("places.geojson", AREAS.replace('"class"', '"height"')),
    ],
    /--known: Feature 1 of places.geojson says no class/,
  ],
  [
    "a model that is none",
    () => ["from-to", ...pair(), "--model", written("m.json", "{}")],
    /--model: .*m.json is no model/,
  ],
  [
    "a day that is none",
    () => ["flood", ...pair(), "--before-date", "2025-02-30"],
    /--before-date: “2025-02-30” is neither a day/,
  ],
  ["unknown heights", () => ["flood", ...pair(), "--heights", "sea"], /--heights is one of/],
  ["no list", () => ["pairs", "--out", "o"], /The list is missing/],
  [
    "a list without a column",
    () => ["pairs", written("l.csv", "before\nx"), "--out", "o"],
    /no column “after”/,
  ],
  [
    "a recipe that is none",
    () => ["flood", ...pair(), "--recipe", written("r.json", "[]")],
    /r.json is no recipe/,
  ],
  [
    "a recipe with a wrong field",
    () => [
      ...["flood", ...pair(), "--recipe"],
      written("w.json", JSON.stringify({ ...FIRST_RECIPES.flood, thresholds: "guessed" })),
    ],
    /thresholds/,
  ],
])("%s is refused in words", (_name, args, words) => {
  expect(() => askedIn(args())).toThrow(words);
});
