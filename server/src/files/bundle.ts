import { createHash } from "node:crypto";
import type { FileKind, FileSource, MadeBefore } from "./kind";
import { fileNameOf } from "./names";
import { PARTS, makeable } from "./parts";
import { stac } from "./stac";
import { type ZipEntry, zipped } from "./zip";

/** The list of checksums, as `sha256sum --check` takes it. */
export const CHECKSUMS = "SHA256SUMS";

/** What each file came to, in the order in which they were made. */
type Sums = MadeBefore[];

/** Bytes of a file as they go by; what they come to is told at their end. */
async function* summed(name: string, bytes: AsyncIterable<Uint8Array>, sums: Sums) {
  const hash = createHash("sha256");
  for await (const part of bytes) {
    hash.update(part);
    yield part;
  }
  sums.push({ name, sha256: hash.digest("hex") });
}

/** Lines of the list, once all files before it have been made. */
async function* listed(sums: Sums): AsyncGenerator<Uint8Array> {
  yield await Promise.resolve(
    Buffer.from(sums.map(({ name, sha256 }) => `${sha256}  ${name}\n`).join("")),
  );
}

function* entriesOf(source: FileSource, kinds: readonly FileKind[]): Generator<ZipEntry> {
  const sums: Sums = [];
  for (const [k, kind] of kinds.entries()) {
    const name = fileNameOf(source.map, kind.extension);
    const progress = (share: number) => source.progress((k + share) / kinds.length);
    const bytes = kind.bytes({ ...source, progress, beside: sums });
    yield { name, bytes: summed(name, bytes, sums), isPacked: kind.isPacked };
  }
  yield { name: CHECKSUMS, bytes: listed(sums), isPacked: false };
}

/** Every file of a map in one archive, with their checksums. */
export const bundle: FileKind = {
  extension: "zip",
  media: "application/zip",
  title: "all files",
  isPacked: true,
  async *bytes(source) {
    // What tells of the others comes last.
    const kinds = [...(await makeable(source)).map((format) => PARTS[format]), stac];
    const entries = [...entriesOf(source, kinds)];
    yield* zipped(entries, new Date(source.map.provenance.writtenAt));
  },
};
