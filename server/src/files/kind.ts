import type { ImageInfo } from "@hindglance/core/graph/image";
import type { ChangeMap } from "../db/changeMaps";
import type { Database } from "../db/pool";

/** What a file of a map is made from, and whom it tells how far it is. */
export interface FileSource {
  map: ChangeMap;
  info: ImageInfo;
  db: Database;
  signal: AbortSignal;
  progress(share: number): void;
}

/** A file that can be made of a map. */
export interface FileKind {
  extension: string;
  media: string;
  title: string;
  /** Whether its bytes are compressed already. */
  isPacked: boolean;
  /** Its bytes, as they are made. */
  bytes(source: FileSource): AsyncIterable<Uint8Array>;
}
