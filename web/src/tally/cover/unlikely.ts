import type { CoverClass } from "@hindglance/core/cover/coverClass";
import { type NamedTransition, proposedUnlikely } from "@hindglance/core/cover/unlikely";

/** The transitions that hardly happen: those that somebody listed, else those that names propose. */
export const unlikelyIn = (
  listed: readonly NamedTransition[] | null | undefined,
  classes: readonly CoverClass[],
): readonly NamedTransition[] => listed ?? proposedUnlikely(classes);
