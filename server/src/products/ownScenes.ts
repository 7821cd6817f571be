import { foreignScene } from "../db/scenes";
import type { Client } from "../db/pool";
import { AppError } from "../errors";

/**
 * Refuses scenes of other studies. One that was deleted meanwhile is not refused: what remembers it can
 * still be changed.
 * @param scenes ids by the fields that name them; a field that is empty names none
 * @throws AppError 422 naming the field
 */
export async function requireOwnScenes(
  client: Client,
  studyId: string,
  scenes: Record<string, readonly (string | null | undefined)[]>,
): Promise<void> {
  for (const [field, ids] of Object.entries(scenes)) {
    const named = ids.filter((id) => id != null);
    if (named.length && (await foreignScene(client, studyId, named))) {
      throw new AppError(
        422,
        "invalid",
        "This scene belongs to another study",
        field,
        "Pick one of this study.",
      );
    }
  }
}
