import type { FileFormat } from "@hindglance/contract/files";
import { bundle } from "./bundle";
import type { FileKind } from "./kind";
import { PARTS } from "./parts";
import { stac } from "./stac";

/** Files that can be made of a map, by what they are asked for by. */
export const FILE_KINDS: Record<FileFormat, FileKind> = { ...PARTS, stac, bundle };
