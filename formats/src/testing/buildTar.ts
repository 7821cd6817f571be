import { pack } from "tar-stream";

/** The files as a tar archive, with a folder and a link before them. */
export async function tarOf(files: ReadonlyMap<string, string | Uint8Array>): Promise<Uint8Array> {
  const archive = pack();
  archive.entry({ name: "folder/", type: "directory" });
  archive.entry({ name: "folder/link", type: "symlink", linkname: "/etc/passwd" });
  for (const [name, content] of files) {
    archive.entry({ name }, content);
  }
  archive.finalize();
  const parts: Uint8Array[] = [];
  for await (const part of archive) {
    if (part instanceof Uint8Array) {
      parts.push(part);
    }
  }
  return Uint8Array.from(Buffer.concat(parts));
}
