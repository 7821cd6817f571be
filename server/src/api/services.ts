import type { VectorReader } from "../vectors/tasks";
import type { Logger } from "pino";
import type { Archive } from "../archive/archive";
import type { Config } from "../config";
import type { Database } from "../db/pool";
import type { PreviewPool } from "../preview/pool";
import type { Settling } from "../products/settle";
import type { Engine } from "../runs/engine";
import type { Waits } from "../runs/waits";
import type { StoredSources } from "../eval/sources";

/** What the routes work with. */
export interface Services {
  config: Config;
  db: Database;
  engine: Engine;
  /** Decides on uploads that are whole. */
  settling: Settling;
  /** Which pages wait for which runs. */
  waits: Waits;
  previews: PreviewPool;
  /** Reads files of features. */
  vectors: VectorReader;
  sources: StoredSources;
  log: Logger;
  /** The archive that the server was told of, if any. */
  archive: Archive | null;
  allowedHosts(): string[];
}
