import type { FileFormat } from "@hindglance/contract/changeMaps";
import { bundle } from "./bundle";
import type { FileKind } from "./kind";
import { PARTS } from "./parts";

/** Files that can be made of a map, by what they are asked for by. */
export const FILE_KINDS: Record<FileFormat, FileKind> = { ...PARTS, bundle };
