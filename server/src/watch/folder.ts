import { randomUUID } from "node:crypto";
import { existsSync, openAsBlob } from "node:fs";
import { mkdir, readdir, rename, stat, writeFile } from "node:fs/promises";
import { basename, join, relative } from "node:path";
import { Refused, type ServerClient, wordsOf } from "@hindglance/contract/client";
import { studyRoutes } from "@hindglance/contract/studies";
import { type TakenUpload, uploadRoutes } from "@hindglance/contract/upload";
import type { Teller } from "./tell";

/** How often the folder is looked at, and how long what lies there must stay as it is, milliseconds. */
const LOOK_MS = 3000;
const SETTLED_MS = 6000;

/** Where what was taken in goes, what was refused, and what is being taken in: beside it, in its study's folder. */
const TAKEN = "taken";
const REFUSED = "refused";
const WORKING = "working";
const OWN: ReadonlySet<string> = new Set([TAKEN, REFUSED, WORKING]);

/** What lies in the folder of a study: a file, or a folder of files that belong together. */
interface Entry {
  name: string;
  path: string;
  /** Its bytes and the time of its last change: while they change it is still on its way. */
  size: number;
  changedAt: number;
}

/** Files below a folder, or the file itself. */
async function filesIn(path: string): Promise<string[]> {
  const found = await stat(path);
  if (!found.isDirectory()) {
    return [path];
  }
  const entries = await readdir(path, { withFileTypes: true, recursive: true });
  return entries
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name))
    .sort();
}

async function entryAt(path: string): Promise<Entry> {
  const stats = await Promise.all((await filesIn(path)).map((file) => stat(file)));
  return {
    ...{ name: basename(path), path },
    size: stats.reduce((sum, { size }) => sum + size, 0),
    changedAt: Math.max((await stat(path)).mtimeMs, ...stats.map(({ mtimeMs }) => mtimeMs)),
  };
}

/** What a folder of a study holds that is not ours and not hidden. */
async function entriesIn(folder: string): Promise<Entry[]> {
  const names = (await readdir(folder)).filter((name) => !OWN.has(name) && !/^[.~]/.test(name));
  return Promise.all(names.sort().map((name) => entryAt(join(folder, name))));
}

/** A file that is in the study already is no failure. */
const isThere = (error: unknown): boolean =>
  error instanceof Refused && error.body.code === "alreadyThere";

/** A name with the time before it, so that nothing is written over. */
const stamped = (name: string): string =>
  `${new Date().toISOString().replace(/[-:]/g, "").slice(0, 15)}_${name}`;

/**
 * Takes in what is laid into folders that are called as studies are, below one folder of the server, one
 * after the other.
 */
export class FolderWatch {
  private timer: NodeJS.Timeout | null = null;
  private isLooking = false;
  private readonly seen = new Map<string, { size: number; changedAt: number; since: number }>();

  /** @param folder a setting of the server, never of a request */
  constructor(
    private readonly folder: string,
    private readonly mostBytes: number,
    private readonly api: ServerClient,
    private readonly teller: Teller,
    private readonly onError: (error: unknown) => void,
  ) {}

  start(): void {
    this.timer = setInterval(() => void this.look().catch(this.onError), LOOK_MS);
  }

  stop(): void {
    if (this.timer) {
      clearInterval(this.timer);
    }
  }

  /** Takes in what has settled. @throws Error where the folder cannot be read */
  async look(): Promise<void> {
    if (this.isLooking) {
      return;
    }
    this.isLooking = true;
    try {
      const names = (await readdir(this.folder, { withFileTypes: true }))
        .filter((entry) => entry.isDirectory())
        .map(({ name }) => name);
      const studies = names.length > 0 ? await this.api.call(studyRoutes.list, {}) : [];
      for (const name of names) {
        const study = studies.find((one) => one.name === name || one.id === name);
        if (study) {
          await this.lookInto(study.id, join(this.folder, name));
        }
      }
    } finally {
      this.isLooking = false;
    }
  }

  private async lookInto(studyId: string, folder: string): Promise<void> {
    for (const entry of await entriesIn(folder)) {
      if (this.hasSettled(entry)) {
        this.seen.delete(entry.path);
        await this.take(studyId, folder, entry);
      }
    }
  }

  /** Whether nothing of it has changed for a while. */
  private hasSettled({ path, size, changedAt }: Entry): boolean {
    const known = this.seen.get(path);
    if (known?.size !== size || known.changedAt !== changedAt) {
      this.seen.set(path, { size, changedAt, since: Date.now() });
      return false;
    }
    return size > 0 && Date.now() - known.since >= SETTLED_MS;
  }

  /** Takes an entry in; whoever moves it first has it. */
  private async take(studyId: string, folder: string, entry: Entry): Promise<void> {
    const working = join(folder, WORKING, entry.name);
    await mkdir(join(folder, WORKING), { recursive: true });
    try {
      await rename(entry.path, working);
    } catch {
      return;
    }
    const told = { studyId, stage: "scenes" };
    try {
      if (entry.size > this.mostBytes) {
        throw new Error(`${entry.name} is larger than this server takes`);
      }
      const upload = await this.send(studyId, working);
      await this.putAway(folder, TAKEN, working, entry.name);
      const text = upload.imported
        ? `${entry.name} was taken in from the watched folder.`
        : `${entry.name} came from the watched folder and waits for an answer in Scenes.`;
      await this.teller.tell({ ...told, tone: upload.imported ? "said" : "doubt", text });
    } catch (error) {
      await this.refuse(folder, working, entry.name, error);
      if (!isThere(error)) {
        const text = `${entry.name} from the watched folder was not taken in: ${wordsOf(error)}`;
        await this.teller.tell({ ...told, tone: "wrong", text });
      }
    }
  }

  /** Puts what was not taken in away, with the reason beside it. */
  private async refuse(folder: string, working: string, name: string, error: unknown) {
    const to = await this.putAway(folder, isThere(error) ? TAKEN : REFUSED, working, name);
    await writeFile(`${to}.txt`, `${wordsOf(error)}\n`);
  }

  private async putAway(folder: string, where: string, from: string, name: string) {
    const to = join(folder, where, stamped(name));
    await mkdir(join(folder, where), { recursive: true });
    await rename(from, to);
    return to;
  }

  /** Sends a file, or the files of a folder as one product. @throws Refused */
  private async send(studyId: string, path: string): Promise<TakenUpload> {
    const api = this.api.actingAs("the watched folder");
    const params = { id: studyId };
    if (!(await stat(path)).isDirectory()) {
      const query = { name: basename(path), take: true };
      return api.send(uploadRoutes.send, { params, query }, await openAsBlob(path));
    }
    const together = randomUUID();
    for (const file of await filesIn(path)) {
      const place = { folder: together, path: join(basename(path), relative(path, file)) };
      const query = { name: basename(file), take: false, ...place };
      await api.send(uploadRoutes.send, { params, query }, await openAsBlob(file));
    }
    return api.call(uploadRoutes.gather, {
      params: { id: studyId, folder: together },
      query: { take: true },
    });
  }

  /** What an earlier server was at when it ended goes back to where it lay. @throws Error */
  async recover(): Promise<void> {
    for (const name of await readdir(this.folder)) {
      const working = join(this.folder, name, WORKING);
      if (existsSync(working)) {
        for (const entry of await readdir(working)) {
          await rename(join(working, entry), join(this.folder, name, entry));
        }
      }
    }
  }
}
