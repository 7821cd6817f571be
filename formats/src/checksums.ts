import { createHash } from "node:crypto";
import { FormatError } from "./errors";
import { type XmlElement, parseXml } from "./xml";
import { type FileSet, readAll } from "./zip";

const MANIFEST = /(^|\/)manifest\.safe$/i;
const MAX_XML = 64 << 20;
const MD5 = /^[0-9a-f]{32}$/i;
const AGAIN = "Fetch the product again, whole.";

/** Checksums by path that a manifest gives; others than MD5 are left out. */
function checksumsIn(manifest: XmlElement, base: string): [path: string, md5: string][] {
  return manifest.all("dataObjectSection/dataObject").flatMap((element) => {
    const stream = element.find("byteStream");
    const href = stream?.find("fileLocation")?.attribute("href");
    const sum = stream?.find("checksum");
    const isMd5 = (sum?.attribute("checksumName") ?? "MD5").toUpperCase() === "MD5";
    const value = sum?.text().trim() ?? "";
    return href && isMd5 && MD5.test(value)
      ? [[`${base}${href.replace(/^\.\//, "")}`.toLowerCase(), value.toLowerCase()]]
      : [];
  });
}

/** Bytes as they come, held against a checksum once they end. @throws FormatError naming the file */
async function* held(
  bytes: AsyncIterable<Uint8Array>,
  path: string,
  md5: string,
): AsyncGenerator<Uint8Array> {
  const hash = createHash("md5");
  for await (const chunk of bytes) {
    hash.update(chunk);
    yield chunk;
  }
  if (hash.digest("hex") !== md5) {
    throw new FormatError(
      "damaged",
      `${path.split("/").pop()} is not what the product's manifest says: its MD5 differs`,
      AGAIN,
    );
  }
}

/**
 * The same files, each held against the MD5 that a manifest among them gives for it while it is
 * read: what was altered, or damaged on the way, is refused at its last byte. Files without one are
 * taken as they are. @throws FormatError where a manifest cannot be read
 */
export async function withChecksums(set: FileSet): Promise<FileSet> {
  const sums = new Map<string, string>();
  for (const { path } of set.files.filter((file) => MANIFEST.test(file.path))) {
    const base = path.slice(0, -"manifest.safe".length);
    const manifest = parseXml(await readAll(set, path, MAX_XML), path);
    for (const [file, md5] of checksumsIn(manifest, base)) {
      sums.set(file, md5);
    }
  }
  if (sums.size === 0) {
    return set;
  }
  return {
    ...set,
    files: set.files,
    async stream(path) {
      const md5 = sums.get(path.toLowerCase());
      const bytes = await set.stream(path);
      return md5 ? held(bytes, path, md5) : bytes;
    },
  };
}
