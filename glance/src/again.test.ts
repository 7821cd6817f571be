import { createHash } from "node:crypto";
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { askedAgainIn } from "./askedAgain";
import { heldAgainst, withoutOwn } from "./compared";
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
    { file: "renamed.bin", held: "same" },
    { file: "other.bin", held: "other" },
    { file: "new.bin", held: "absent" },
  ]);
  rmSync(now, { recursive: true });
});

describe("what two databases write differently", () => {
  const text = (id: string, hash: string, day: string) =>
    `{"scene":"${id}","nodeHash":"${hash.repeat(32)}","writtenAt":"${day}T07:00:00.000Z","cells":12}`;
  const one = text("4b044c55-5bd9-4000-8f7e-8514bb290414", "a", "2025-05-15");
  const other = text("36f2c835-dcaa-45e6-bb6f-1177bb43a744", "b", "2026-11-30");

  test("is left out wherever parts of a file end", async () => {
    for (let at = 1; at < one.length; at += 7) {
      const parts = async function* () {
        yield* [one.slice(0, at), one.slice(at, at + 30), one.slice(at + 30)];
      };
      let said = "";
      for await (const part of withoutOwn(parts())) {
        said += part;
      }
      expect(said).toBe(`{"scene":"?",?,?,"cells":12}`);
    }
  });

  test("is no difference, and all else is one", async () => {
    const now = mkdtempSync(join(tmpdir(), "again-now-"));
    writeFileSync(join(folder, "a.csv"), one);
    writeFileSync(join(folder, "b.csv"), one);
    writeFileSync(join(now, "a.csv"), other);
    writeFileSync(join(now, "b.csv"), other.replace("12", "13"));
    expect(await heldAgainst(folder, [join(now, "a.csv"), join(now, "b.csv")])).toEqual([
      { file: "a.csv", held: "sameButForIds" },
      { file: "b.csv", held: "other" },
    ]);
    rmSync(now, { recursive: true });
  });
});
