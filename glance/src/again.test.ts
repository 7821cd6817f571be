import { createHash } from "node:crypto";
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { askedAgainIn } from "./askedAgain";
import { heldAgainst } from "./compared";
import { findFiles } from "./inputs";

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "again-"));
  mkdirSync(join(folder, "deep", "er"), { recursive: true });
  writeFileSync(join(folder, "deep", "er", "renamed.bin"), "made up");
  writeFileSync(join(folder, "other.bin"), "made on");
});
afterAll(() => rmSync(folder, { recursive: true }));

const file = (path: string, text: string) => ({
  ...{ path, size: Buffer.byteLength(text) },
  sha256: createHash("sha256").update(text).digest("hex"),
});

test("files are found by what they hold, whatever they are called and however deep they lie", async () => {
  const wanted = file("product.zip", "made up");
  expect(await findFiles(folder, [wanted])).toEqual(
    new Map([[wanted.sha256, join(folder, "deep", "er", "renamed.bin")]]),
  );
});

test("those that are not there are named", async () => {
  const there = file("a.zip", "made up");
  const gone = file("b.zip", "of size!");
  await expect(findFiles(folder, [there, gone])).rejects.toThrow(/does not hold b\.zip \(SHA-256/);
});

test("a call that lacks something, or tells no account, is not understood", () => {
  const other = join(folder, "other.bin");
  expect(() => askedAgainIn([])).toThrow(/The account is missing/);
  expect(() => askedAgainIn(["nowhere.json", "--inputs", folder])).toThrow(/no file nowhere\.json/);
  expect(() => askedAgainIn([other, "--inputs", folder, "--out", folder])).toThrow(
    /other\.bin is no account of a map/,
  );
  writeFileSync(join(folder, "a.json"), JSON.stringify({ format: 1 }));
  expect(() => askedAgainIn([join(folder, "a.json")])).toThrow(/is no account of a map: /);
});

test("files that were handed over are held against those of the same name, however deep they lie", async () => {
  const now = mkdtempSync(join(tmpdir(), "again-now-"));
  const made = ["renamed.bin", "other.bin", "new.bin"].map((name) => join(now, name));
  made.forEach((path) => writeFileSync(path, "made up"));
  expect(await heldAgainst(folder, made)).toEqual([
    { file: "renamed.bin", isSame: true },
    { file: "other.bin", isSame: false },
    { file: "new.bin", isSame: null },
  ]);
  rmSync(now, { recursive: true });
});
