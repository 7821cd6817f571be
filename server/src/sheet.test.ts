import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { decode } from "fast-png";
import type { ChangeMap } from "@hindglance/contract/changeMaps";
import type { FileFormat } from "@hindglance/contract/files";
import type { DrawnSheet, SavedLayout, SheetState } from "@hindglance/contract/sheet";
import { PAPERS, READY_LAYOUTS, type Sheet } from "@hindglance/core/sheet/layout";
import { number } from "@hindglance/core/text/number";
import { FloodedStudy } from "./testing/flooded";
import { TestServer } from "./testing/harness";

// The sheet of a flood; its files are read by the tools of another hand.
let testServer: TestServer;
let map: ChangeMap;
let folder: string;

beforeAll(async () => {
  testServer = await TestServer.start();
  const study = await FloodedStudy.make(testServer, "Sheets");
  map = await study.write("Überflutung & 1");
  await testServer.quiet();
  folder = mkdtempSync(join(tmpdir(), "sheets-"));
});
afterAll(async () => {
  await testServer.stop();
  rmSync(folder, { recursive: true });
});

const address = (rest = ""): string => `/change-maps/${map.id}/sheet${rest}`;
const stateOf = async (): Promise<SheetState> =>
  (await testServer.call<SheetState>("GET", address())).body;
const drawn = async (sheet: Sheet): Promise<DrawnSheet> =>
  (await testServer.call<DrawnSheet>("POST", address("/pages"), { sheet })).body;
const readyLayout = (id: string) => READY_LAYOUTS.find((one) => one.id === id)!.layout;

/** Makes a file of the map and gives where it lies. */
async function taken(format: FileFormat): Promise<string> {
  const { body } = await testServer.call<{ runId: string }>(
    "POST",
    `/change-maps/${map.id}/files`,
    { format },
  );
  const { result, error } = await testServer.ended(body.runId);
  expect(error).toBeNull();
  const { bytes } = await testServer.call("GET", `/files/${String(result!.blobId)}`);
  const path = join(folder, String(result!.fileName));
  writeFileSync(path, bytes);
  return path;
}

const said = (tool: string, ...args: string[]): string =>
  execFileSync(tool, args, { encoding: "utf8", maxBuffer: 1e8 });

/** Words of a PDF with plain blanks between them. */
const wordsOf = (path: string): string =>
  said("pdftotext", "-layout", path, "-").replace(/[\u2009\s]+/g, " ");

test("the PDF holds the numbers of the tally as words, with its fonts, told in order", async () => {
  const path = await taken("sheetPdf");
  const words = wordsOf(path);
  for (const { zone, label, cells, areaM2, name } of map.rows) {
    if (zone === null && label > 0 && cells > 0) {
      expect(words).toContain(number(areaM2 / 1e6, 3));
      expect(words).toContain(name.split(" ")[0]!);
    }
  }
  expect(words).toContain("Überflutung & 1");
  expect(words).toContain(map.provenance.before.sha256.slice(0, 12));
  expect(words).toContain("Not tested");
  const info = said("pdfinfo", path);
  expect(info).toMatch(/Tagged: +yes/);
  expect(info).toMatch(/Title: +Überflutung & 1/);
  expect(info).toMatch(/Page size: +841\.89 x 595\.2\d+ pts \(A4\)/);
  const fonts = said("pdffonts", path).trim().split("\n").slice(2);
  expect(fonts.length).toBeGreaterThan(1);
  fonts.forEach((line) => expect(line).toMatch(/TrueType .* yes yes yes/));
  const structure = said("pdfinfo", "-struct", path);
  for (const tag of ["Document", "H1", "Figure", "Table", "TR", "TH", "TD"]) {
    expect(structure).toMatch(new RegExp(`^ *${tag}`, "m"));
  }
});

test("pictures of the PDF have 300 dots an inch", async () => {
  const path = await taken("sheetPdf");
  const lines = said("pdfimages", "-list", path).trim().split("\n").slice(2);
  expect(lines.length).toBeGreaterThan(0);
  for (const line of lines) {
    const cells = line.trim().split(/ +/);
    const [across, down] = cells.slice(12, 14).map(Number);
    expect(across).toBeGreaterThanOrEqual(299);
    expect(down).toBeLessThanOrEqual(301);
  }
});

test("the PNG is a page of 300 dots an inch on which the classes lie in their colours", async () => {
  const path = await taken("sheetPng");
  const png = decode(execFileSync("cat", [path], { maxBuffer: 1e8 }));
  const inches = [...PAPERS.A4].reverse().map((mm) => Math.round((mm / 25.4) * 300));
  expect([png.width, png.height]).toEqual(inches);
  const [class1] = map.info.classes!;
  const wanted = [1, 3, 5].map((k) => parseInt(class1!.color.slice(k, k + 2), 16));
  let alike = 0;
  for (let i = 0; i < png.data.length; i += 3) {
    const far = wanted.map((channel, k) => Math.abs(channel - png.data[i + k]!));
    // A class covers 85 percent of the pale picture below it.
    alike += Math.max(...far) <= 40 ? 1 : 0;
  }
  const state = await stateOf();
  const { pages } = await drawn(state.sheet);
  const { placed } = pages[0]!.maps[0]!;
  const pixelM = (placed.perMm * 25.4) / 300;
  const row = map.rows.find(({ zone, label }) => zone === null && label === class1!.label)!;
  // Its ground on the page is that of the tally, but for its edges, that are darker.
  expect((alike * pixelM ** 2) / row.areaM2).toBeGreaterThan(0.85);
  expect((alike * pixelM ** 2) / row.areaM2).toBeLessThan(1.1);
});

test("the same sheet gives the same bytes", async () => {
  for (const format of ["sheetPdf", "sheetSvg", "slidePictures"] as const) {
    const [first, second] = [await taken(format), await taken(format)].map((path) =>
      said("sha256sum", path),
    );
    expect(first).toBe(second);
  }
});

test("the SVG stands by itself and is XML; slides have a page for each map and the numbers", async () => {
  const svg = await taken("sheetSvg");
  const text = execFileSync("cat", [svg], { encoding: "utf8", maxBuffer: 1e8 });
  expect(text).toContain("Überflutung &amp; 1");
  expect(text).not.toMatch(/href="(?!data:)/);
  expect(said("pdfinfo", await taken("slides"))).toMatch(/Pages: +2\n/);
});

test("what is set is kept, and what was set from an older state is refused", async () => {
  const first = await stateOf();
  expect(first.version).toBe(0);
  const sheet: Sheet = {
    ...first.sheet,
    layout: { ...readyLayout("pair"), paper: "A3" },
    texts: { ...first.sheet.texts, title: "Own title", maker: "Ada" },
  };
  await taken("sheetPng");
  const saved = await testServer.call<SheetState>("PUT", address(), { sheet, version: 0 });
  expect(saved.body).toEqual({ sheet, version: 1 });
  expect(await stateOf()).toEqual({ sheet, version: 1 });
  const stale = await testServer.call("PUT", address(), { sheet, version: 0 });
  expect(stale.status).toBe(409);
  const next = await testServer.call<SheetState>("PUT", address(), { sheet, version: 1 });
  expect(next.body.version).toBe(2);
  // Files of the sheet as it was are not offered any more.
  const maps = await testServer.call<ChangeMap>("GET", `/change-maps/${map.id}`);
  expect(maps.body.files.map(({ format }) => format)).not.toContain("sheetPng");
  const words = wordsOf(await taken("sheetPdf"));
  expect(words).toContain("Own title");
  expect(words).toContain("Ada");
  expect(words).toMatch(/1 : \d+ \d{3} on A3/);
});

test("every page of a sheet of several is taken as picture and as drawing", async () => {
  const { sheet, version } = await stateOf();
  const text = Array.from({ length: 150 }, (_v, k) => `Sentence ${k} of many.`).join(" ");
  const texts = { ...sheet.texts, text: text.slice(0, 2000) };
  const long = { ...sheet, layout: readyLayout("four"), texts };
  expect((await testServer.call("PUT", address(), { sheet: long, version })).status).toBe(200);
  const pages = Number(/Pages: +(\d+)/.exec(said("pdfinfo", await taken("sheetPdf")))![1]);
  expect(pages).toBeGreaterThan(1);
  const zip = await taken("sheetPages");
  const names = said("unzip", "-Z1", zip).trim().split("\n");
  expect(names.filter((name) => name.endsWith(".png"))).toHaveLength(pages);
  expect(names.filter((name) => name.endsWith(".svg"))).toHaveLength(pages);
  // Words of the last page stand on its drawing.
  const last = said("unzip", "-p", zip, names.filter((name) => name.endsWith(".svg")).at(-1)!);
  expect(last).toContain(`Page ${pages} of ${pages}`);
});

test("pages are drawn with frames, words and maps, and their pictures are sent", async () => {
  const { sheet } = await stateOf();
  const { pages, proposed, lacking } = await drawn({ ...sheet, layout: readyLayout("four") });
  const [page] = pages;
  expect(page!.frames.map(({ kind }) => kind)).toContain("detail");
  expect(page!.maps).toHaveLength(4);
  expect(proposed.title).toBe("Überflutung & 1");
  expect(lacking).toEqual([]);
  const addresses = [...page!.svg.matchAll(/href="\/api([^"]+)"/g)].map(([, own]) =>
    own!.replaceAll("&amp;", "&"),
  );
  expect(addresses).toHaveLength(4);
  for (const own of addresses) {
    const { status, bytes } = await testServer.call("GET", own);
    expect(status).toBe(200);
    const png = decode(bytes);
    // More than one colour: there is a picture.
    expect(new Set(png.data).size).toBeGreaterThan(1);
  }
});

test.each([
  ["side=change&ground=1,2,3&width=10&height=10&pixelMm=1", "box takes west, south, east, north"],
  ["side=under&ground=1,2,3,4&width=10&height=10&pixelMm=1", "side"],
  ["side=change&ground=1,2,3,4&width=4000&height=4000&pixelMm=1", "at most 4000000 pixels"],
  ["side=change&ground=1,2,3,4&width=9000&height=1&pixelMm=1", "width"],
])("a picture that cannot be is refused in words: %s", async (query, words) => {
  const { status, body } = await testServer.call<{ error: { message: string } }>(
    "GET",
    address(`/picture?${query}`),
  );
  expect(status).toBe(422);
  expect(JSON.stringify(body.error)).toContain(words);
});

test("layouts are saved for all studies, replaced by name, and deleted", async () => {
  const layout = readyLayout("upright");
  const save = (body: object) => testServer.call<SavedLayout>("POST", "/sheet-layouts", body);
  const first = await save({ name: "House style", layout });
  expect(first.status).toBe(201);
  const again = await save({ name: "House style", layout: { ...layout, paper: "A2" } });
  expect(again.body.id).toBe(first.body.id);
  const list = await testServer.call<SavedLayout[]>("GET", "/sheet-layouts");
  expect(list.body).toEqual([
    { id: first.body.id, name: "House style", layout: { ...layout, paper: "A2" } },
  ]);
  const beyond = { ...layout, frames: [{ ...layout.frames[0]!, column: 23 }] };
  const refused = await save({ name: "Beyond", layout: beyond });
  expect(refused.status).toBe(422);
  const removed = await testServer.call("DELETE", `/sheet-layouts/${first.body.id}`);
  expect(removed.status).toBe(204);
  expect((await testServer.call("DELETE", `/sheet-layouts/${first.body.id}`)).status).toBe(404);
});
