import { type Blob } from "../db/blobs";
import type { Inspection } from "../db/inspection";
import { receiveBlob } from "../db/receiving";
import { inspect, inspectTogether } from "../products/inspect/inspect";
import { readHere } from "../vectors/work";
import { databaseForTests } from "./database";

/** Files by name or path. */
type Files = Record<string, Uint8Array | string>;

/** A study of the test file's own that uploads arrive in and are looked into. */
export function lookingForTests() {
  const database = databaseForTests();
  let study: string;
  beforeAll(async () => {
    study = await database.study("Uploads");
  }, 60_000);

  /** A file as it lies in the store once it has arrived. */
  async function stored(name: string, content: Uint8Array | string): Promise<Blob> {
    async function* bytes(): AsyncGenerator<Uint8Array> {
      await Promise.resolve();
      yield Buffer.from(content);
    }
    const facts = { studyId: study, purpose: "upload", name, maxBytes: 1e9 };
    return receiveBlob(database.db, facts, bytes());
  }
  return {
    database,
    get study(): string {
      return study;
    },
    stored,
    look: async (name: string, content: Uint8Array | string): Promise<Inspection> =>
      inspect({ db: database.db, vectors: readHere }, await stored(name, content)),
    /** Looks into files that came together. @returns them with what is found, which may be refused */
    async together(files: Files) {
      const blobs = [];
      for (const [path, content] of Object.entries(files)) {
        const { id, size } = await stored(path.split("/").pop()!, content);
        blobs.push({ id, path, size });
      }
      return { blobs, found: inspectTogether({ db: database.db, vectors: readHere }, blobs) };
    },
  };
}
