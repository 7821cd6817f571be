import { lcg } from "@hindglance/core/testing/support";
import { gzipSync } from "node:zlib";
import { EntrySource, openArchive } from "./archive";
import { MemorySource } from "./source";
import { zipOf } from "./testing/buildSafe";
import { tarOf } from "./testing/buildTar";
import { readAll } from "./zip";

const random = lcg(7);
/** More than the beginnings that are kept. */
const LONG = Uint8Array.from({ length: 300_000 }, () => Math.floor(random() * 256));
const FILES = new Map<string, string | Uint8Array>([
  ["folder/first.txt", "one"],
  [`folder/${"long".repeat(60)}.bin`, LONG],
  ["folder/last.txt", "three"],
]);
const KINDS: [string, () => Promise<Uint8Array>][] = [
  ["zip", () => zipOf(FILES)],
  ["tar", () => tarOf(FILES)],
  ["tar.gz", async () => gzipSync(await tarOf(FILES))],
];
const opened = async (bytes: Uint8Array) => (await openArchive(new MemorySource(bytes)))!;

test.each(KINDS)("a %s holds its files, with their bytes in any order", async (_kind, build) => {
  const set = await opened(await build());
  expect(set.files.map(({ path, size }) => [path, size])).toEqual(
    [...FILES].map(([path, content]) => [path, content.length]),
  );
  for (const [path, content] of [...FILES].reverse()) {
    expect(Buffer.from(await readAll(set, path, 1e6)).equals(Buffer.from(content))).toBe(true);
  }
  await expect(set.stream("none")).rejects.toThrow("none is not in the archive");
});

test.each(KINDS)("a file in a %s can be read at any place", async (_kind, build) => {
  const set = await opened(await build());
  const path = set.files[1]!.path;
  const entry = new EntrySource(set, path);
  expect(entry.size).toBe(LONG.length);
  const places = [
    [10, 20],
    [250_000, 50_000],
    [0, 300_000],
    [131_070, 4],
  ] as const;
  const found = await Promise.all(places.map(([from, length]) => entry.read(from, length)));
  places.forEach(([from, length], k) =>
    expect([k, Buffer.from(found[k]!).equals(LONG.subarray(from, from + length))]).toEqual([
      k,
      true,
    ]),
  );
  await expect(entry.read(299_999, 2)).rejects.toThrow(/ends at byte 300000/);
  await entry.close();
  expect(() => new EntrySource(set, "none")).toThrow(/not in the archive/);
});

test("what is no archive is none", async () => {
  expect(await openArchive(new MemorySource(Buffer.from("II*")))).toBeNull();
});

describe("refused in words", () => {
  const refused = (bytes: Uint8Array) => expect(opened(bytes)).rejects;
  test("a packed tar that is cut off", async () => {
    const whole = gzipSync(await tarOf(FILES));
    await refused(whole.subarray(0, whole.length / 2)).toThrow(/cut off/);
  });
  test("a single packed file", async () => {
    await refused(gzipSync(Buffer.alloc(4000, "x"))).toThrow(/no tar archive/);
  });
  test("a path that leads out", async () => {
    await refused(await tarOf(new Map([["../../out", "x"]]))).toThrow(/leads out of it/);
    await refused(await tarOf(new Map([["/out", "x"]]))).toThrow(/leads out of it/);
  });
  test("one that unpacks to hundreds of times its bytes", async () => {
    const bomb = gzipSync(await tarOf(new Map([["zeros", new Uint8Array(40 << 20)]])));
    await refused(bomb).toThrow(/would unpack from \d+ to 41943040 bytes/);
  });
  test("damage inside", async () => {
    const whole = Uint8Array.from(gzipSync(await tarOf(FILES)));
    whole.fill(0x55, 1000, 1400);
    await refused(whole).toMatchObject({ name: "FormatError" });
  });
});
