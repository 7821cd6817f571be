import { type FileHandle, mkdtemp, open, readdir, rm, stat } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Sink } from "@hindglance/formats/features/sink";
import type { Spool } from "@hindglance/formats/tiff/writeCog";

/** How folders for the time of a file's making begin; nothing else in the machine's temporary folder does. */
const SCRATCH = "hind-glance-making-";
const READ = 1 << 20;

/** When anything in a folder was last written, in milliseconds since 1970. */
async function lastWritten(folder: string): Promise<number> {
  const inside = (await readdir(folder)).map((name) => join(folder, name));
  const times = await Promise.all(
    [folder, ...inside].map(async (path) => (await stat(path)).mtimeMs),
  );
  return Math.max(...times);
}

/**
 * Takes away folders that workers of this machine left when they died, once nothing was written in
 * them for so many hours. Folders of any other name stay.
 * @returns how many went
 */
export async function sweepScratch(hours: number, within = tmpdir()): Promise<number> {
  const old = Date.now() - hours * 3_600_000;
  let swept = 0;
  for (const name of await readdir(within)) {
    const path = join(within, name);
    if (name.startsWith(SCRATCH) && (await lastWritten(path).catch(() => Infinity)) < old) {
      await rm(path, { recursive: true, force: true });
      swept++;
    }
  }
  return swept;
}

/** A file for the time of another one's making: written at its end, and over what was written. */
export class ScratchFile implements Sink, Spool {
  private at = 0;
  constructor(
    private readonly file: FileHandle,
    /** Where it lies, for what writes files by itself. */
    readonly path: string,
  ) {}

  async append(bytes: Uint8Array): Promise<void> {
    await this.file.write(bytes, 0, bytes.length, this.at);
    this.at += bytes.length;
  }

  async overwrite(offset: number, bytes: Uint8Array): Promise<void> {
    await this.file.write(bytes, 0, bytes.length, offset);
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const out = new Uint8Array(length);
    await this.file.read(out, 0, length, offset);
    return out;
  }

  /** All that was written, in order, whoever wrote it. */
  async *bytes(): AsyncGenerator<Uint8Array> {
    const { size } = await this.file.stat();
    for (let at = 0; at < size; at += READ) {
      yield await this.read(at, Math.min(READ, size - at));
    }
  }
}

/**
 * Makes something with files that go when it is done, fails, is cancelled, or is left by who reads.
 * @param make is given what opens a file by its name
 */
export async function* withScratch(
  make: (open: (name: string) => Promise<ScratchFile>) => AsyncIterable<Uint8Array>,
): AsyncGenerator<Uint8Array> {
  const folder = await mkdtemp(join(tmpdir(), SCRATCH));
  const opened: FileHandle[] = [];
  try {
    yield* make(async (name) => {
      const path = join(folder, name);
      const file = await open(path, "w+");
      opened.push(file);
      return new ScratchFile(file, path);
    });
  } finally {
    await Promise.all(opened.map((file) => file.close()));
    await rm(folder, { recursive: true, force: true });
  }
}
