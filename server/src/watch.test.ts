import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { elevationTiff, radarTiff } from "./testing/pairs";
import { TestServer } from "./testing/harness";
import { until } from "./testing/until";

let testServer: TestServer;
let folder: string;
let told: string;
let study: string;
const NAME = "Laid into a folder";

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), "watched-"));
  told = join(folder, "told.jsonl");
  testServer = await TestServer.start({ env: { WATCH_FOLDER: folder, NOTICE_FILE: told } });
  const asked = { name: NAME, hazard: "flood" };
  study = (await testServer.call<{ id: string }>("POST", "/studies", asked)).body.id;
});
afterAll(async () => {
  await testServer.stop();
  rmSync(folder, { recursive: true });
});

const inStudy = (...parts: string[]) => join(folder, NAME, ...parts);
/** Names in one of the folders beside what is laid in, without the time before them. */
const names = (where: string): string[] =>
  existsSync(inStudy(where))
    ? readdirSync(inStudy(where))
        .map((name) => name.slice(16))
        .sort()
    : [];

type Watched = { folder: string | null };
type Told = { tone: string; text: string; study: string }[];

test("what is laid into the folder of a study is taken in, what cannot be is put away with the reason", async () => {
  expect((await testServer.call<Watched>("GET", `/studies/${study}/watched`)).body.folder).toBe(
    NAME,
  );
  mkdirSync(inStudy());
  mkdirSync(join(folder, "No study of this name"));
  writeFileSync(join(folder, "No study of this name", "a.tif"), elevationTiff(60, 40));
  writeFileSync(inStudy("elevation.tif"), elevationTiff(60, 40));
  writeFileSync(inStudy("broken.tif"), "no image at all");
  writeFileSync(inStudy("s0_20250514T180000.tif"), radarTiff(60, 40, 2, [0, 3]));
  writeFileSync(inStudy(".hidden"), "left alone");
  await until(() => names("taken").length === 2 && names("refused").length === 2);
  expect(names("taken")).toEqual(["elevation.tif", "s0_20250514T180000.tif"]);
  expect(names("refused")).toEqual(["broken.tif", "broken.tif.txt"]);
  const reason = readdirSync(inStudy("refused")).find((name) => name.endsWith(".txt"))!;
  expect(readFileSync(inStudy("refused", reason), "utf8")).toMatch(/broken\.tif/);
  expect(readdirSync(inStudy("working"))).toEqual([]);
  expect(existsSync(inStudy(".hidden"))).toBe(true);
  expect(existsSync(join(folder, "No study of this name", "a.tif"))).toBe(true);
  const { body: news } = await testServer.call<Told>("GET", "/news");
  expect(news.map(({ tone }) => tone).filter((tone) => tone === "wrong")).toHaveLength(1);
  expect(news.every((one) => one.study === NAME)).toBe(true);
  expect(readFileSync(told, "utf8").trim().split("\n")).toHaveLength(news.length);
});

test("a file that is still being written is left until it is whole; the same bytes again are no failure", async () => {
  const bytes = elevationTiff(60, 40);
  writeFileSync(inStudy("again.tif"), bytes.subarray(0, 100));
  await new Promise((ok) => setTimeout(ok, 5000));
  expect(existsSync(inStudy("again.tif"))).toBe(true);
  writeFileSync(inStudy("again.tif"), bytes);
  await until(() => names("taken").includes("again.tif"));
  expect(names("refused")).toHaveLength(2);
});

test("what an earlier server was at is taken in by the next", async () => {
  await testServer.kill();
  writeFileSync(inStudy("working", "left.tif"), "no image either");
  await testServer.restart({ env: { WATCH_FOLDER: folder, NOTICE_FILE: told } });
  await until(() => names("refused").includes("left.tif"));
});
