import { EntrySource, openArchive } from "./archive";
import { withChecksums } from "./checksums";
import { MemorySource } from "./source";
import { bytesOf, safeFiles, textOf, withMd5, zipOf } from "./testing/buildSafe";
import { openZip, readAll } from "./zip";

const opened = async (files: Map<string, string | Uint8Array>) =>
  withChecksums(await openZip(new MemorySource(await zipOf(files))));
const path = (files: Map<string, unknown>, part: string) =>
  [...files.keys()].find((one) => one.includes(part))!;

describe("MD5 of a manifest", () => {
  test("files that are what it says are read", async () => {
    const files = withMd5();
    const set = await opened(files);
    for (const { path: one } of set.files) {
      expect(Buffer.from(await readAll(set, one, 1 << 20))).toEqual(bytesOf(files.get(one)!));
    }
  });
  test("one altered digit of a calibration is refused by its name", async () => {
    const files = withMd5();
    const calibration = path(files, "calibration-");
    const altered = textOf(files.get(calibration)).replace(/\d(?=<)/, (digit) =>
      String((Number(digit) + 1) % 10),
    );
    expect(altered).not.toBe(textOf(files.get(calibration)));
    files.set(calibration, altered);
    await expect(readAll(await opened(files), calibration, 1 << 20)).rejects.toThrow(
      `${calibration.split("/").pop()} is not what the product's manifest says: its MD5 differs`,
    );
  });
  test("a product without any is taken as it is", async () => {
    const files = safeFiles();
    const set = await opened(files);
    const annotation = path(files, "annotation/");
    expect(textOf(await readAll(set, annotation, 1 << 20))).toBe(textOf(files.get(annotation)));
  });
});

describe("CRC-32 of an archive", () => {
  /** A zip of one stored file with one of its bytes flipped. */
  async function flipped(): Promise<Uint8Array> {
    const body = Buffer.alloc(4000, "made-up");
    const zip = Buffer.from(await zipOf(new Map([["cells.bin", body]]), { isStored: true }));
    zip[zip.indexOf("made-up") + 1000]! ^= 1;
    return zip;
  }
  test("one flipped byte of a stored file is refused by its name", async () => {
    const set = await openZip(new MemorySource(await flipped()));
    await expect(readAll(set, "cells.bin", 1 << 20)).rejects.toThrow(
      "cells.bin is damaged inside its archive: its CRC-32 differs",
    );
  });
  test("and where the file is read in parts, once its end is reached", async () => {
    const set = (await openArchive(new MemorySource(await flipped())))!;
    const source = new EntrySource(set, "cells.bin");
    await expect(source.read(0, source.size)).rejects.toThrow("its CRC-32 differs");
  });
});
