import { type Change, ChangedElsewhere, withChanges } from "@hindglance/contract/changes";
import { AppError } from "../errors";

/**
 * Settings with changes made to them.
 * @param what what the settings are of, for the message
 * @throws AppError 409 `changedElsewhere` where somebody else changed the same thing meanwhile
 */
export function changedSettings<T>(value: T, changes: readonly Change[], what: string): T {
  try {
    return withChanges(value, changes);
  } catch (error) {
    if (error instanceof ChangedElsewhere) {
      throw new AppError(
        409,
        "changedElsewhere",
        `The same setting of the ${what} was changed on another page meanwhile`,
        error.path.slice(1).replaceAll("/", ".") || undefined,
        "What stands there now is shown.",
      );
    }
    throw error;
  }
}
