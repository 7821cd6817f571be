import { listUnsettled, takeBackRefusal } from "../db/arriving";
import { type Blob, findBlob, listParts } from "../db/blobs";
import { concludeStored } from "../db/receiving";
import { AWAY_MS, isTransient, tried } from "../db/transient";
import { AppError } from "../errors";
import {
  type Looked,
  type Looking,
  type Parts,
  folderOf,
  lookAtFile,
  lookAtFolder,
  refuse,
} from "./look";

/** Uploads that somebody looks at are left to him for so long, seconds. */
const LEFT_ALONE_S = 15;
/** Pause before an upload is decided on that could not be, since the database was away, milliseconds. */
const AGAIN_MS = 2000;

/** @throws AppError where the bytes that came are not those that were sent */
function requireSame({ name, sha256, sent }: Blob): void {
  if (sent?.digest && sent.digest !== sha256) {
    throw new AppError(
      422,
      "garbled",
      `${name} arrived other than it was sent: its SHA-256 differs`,
      "file",
      "Delete it here and send the file again.",
    );
  }
}

/**
 * Decides on uploads once their last byte is there: they become scenes, zones or orbits, wait with
 * a question, or are refused with the reason. Nothing of it waits for the page that sent them.
 */
export class Settling {
  /** What is being decided here, by the file or the folder that it is about. */
  private readonly pending = new Map<string, Promise<Looked | null>>();

  constructor(readonly looking: Looking) {}

  /**
   * Decides on an upload that is whole; of a folder once the last file is there.
   * @returns null where nothing is decided yet, it is refused, or somebody else decided
   * @throws what passes by itself, where it lasts: the upload is decided on a little later
   */
  settle(blob: Blob): Promise<Looked | null> {
    const key = blob.sent?.folder ?? blob.id;
    const before = this.pending.get(key) ?? Promise.resolve(null);
    // Two files of a folder may end at once: the second looks when the first has.
    const settled = before.catch(() => null).then(() => this.decide(blob.id));
    this.pending.set(key, settled);
    const forget = () => {
      if (this.pending.get(key) === settled) {
        this.pending.delete(key);
      }
    };
    settled.then(forget, forget);
    settled.catch((error: unknown) => {
      if (isTransient(error)) {
        setTimeout(() => void this.settle(blob).catch(() => {}), AGAIN_MS).unref();
      }
    });
    return settled;
  }

  /** Decides on what a server left that died, or that could not be decided on; how many. */
  async settleLeft(leftAloneS = LEFT_ALONE_S): Promise<number> {
    const { db, log } = this.looking;
    const left = await db.withClient((client) => listUnsettled(client, leftAloneS));
    for (const blob of left) {
      await this.settle(blob).catch((e: unknown) => log.error(e));
    }
    return left.length;
  }

  /** Looks again at what was refused, a file or a folder. @returns whether there is such a one */
  async again(studyId: string, id: string): Promise<boolean> {
    const { db } = this.looking;
    const blobs = await db.withTransaction((client) => takeBackRefusal(client, studyId, id));
    for (const blob of blobs) {
      await this.settle(blob);
    }
    return blobs.length > 0;
  }

  private decide(id: string): Promise<Looked | null> {
    return tried(() => this.decideOnce(id), { forMs: AWAY_MS });
  }

  private async decideOnce(id: string): Promise<Looked | null> {
    const { db } = this.looking;
    const found = await db.withClient((client) => findBlob(client, id));
    if (!found || found.length !== found.size || found.refused || found.detail?.form) {
      return null;
    }
    const blob = found.state === "ready" ? found : await concludeStored(db, found);
    return this.orRefuse(blob.name, [blob.id], async () => {
      requireSame(blob);
      return blob.purpose === "part" ? this.folder(blob) : lookAtFile(this.looking, blob, true);
    });
  }

  private async folder({ studyId, sent }: Blob): Promise<Looked | null> {
    const { db } = this.looking;
    const folder = sent!.folder!;
    const parts: Parts = await db.withClient((client) => listParts(client, studyId!, folder));
    if (parts.length < sent!.files) {
      return null;
    }
    const ids = parts.map((part) => part.id);
    const name = sent!.folderName ?? folderOf(parts);
    return this.orRefuse(name, ids, () => lookAtFolder(this.looking, parts, true));
  }

  /** What cannot be used stays, with the reason. @throws what passes by itself */
  private async orRefuse(
    name: string,
    ids: readonly string[],
    look: () => Promise<Looked | null>,
  ): Promise<Looked | null> {
    try {
      return await look();
    } catch (error) {
      if (isTransient(error)) {
        throw error;
      }
      await refuse(this.looking, name, ids, error);
      return null;
    }
  }
}
