import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { ChangeMap } from "../db/changeMaps";
import type { Database } from "../db/pool";
import type { StoredSources } from "../eval/sources";

/** What a file is made with, and whom it tells how far it is. */
export interface Making {
  db: Database;
  sources: StoredSources;
  evaluator: Evaluator;
  signal: AbortSignal;
  progress(share: number): void;
}

/** A file that was made before another one that tells of it. */
export interface MadeBefore {
  name: string;
  sha256: string;
}

/** What a file of a map is made from. */
export interface FileSource extends Making {
  map: ChangeMap;
  info: ImageInfo;
  /** Files that lie beside it, where they are known. */
  beside?: readonly MadeBefore[];
}

/** A file that can be made of a map. */
export interface FileKind {
  extension: string;
  media: string;
  title: string;
  /** Whether its bytes are compressed already. */
  isPacked: boolean;
  /** Why it cannot be made of this map, beyond what the map itself tells; null where it can. */
  lacks?(source: FileSource): Promise<string | null>;
  /** Its bytes, as they are made. */
  bytes(source: FileSource): AsyncIterable<Uint8Array>;
}
