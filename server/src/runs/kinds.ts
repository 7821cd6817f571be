import type { RunKind } from './engine';
import { importScene } from './importScene';
import { makeFile } from './makeFile';
import { measureAreas } from './measureAreas';
import { writeChangeMap } from './writeChangeMap';

/** Every kind of run there is. */
export const RUN_KINDS = { importScene, writeChangeMap, measureAreas, makeFile } as unknown as Record<string, RunKind<never>>;
