import type { ErrorBody } from "@hindglance/contract/errors";
import { giveBack } from "../db/arriving";
import { type Blob, deleteBlobs, findBlobs } from "../db/blobs";
import type { Client } from "../db/pool";

/** What people call a file, or the folder that it came in. */
const nameOf = ({ sent, name }: Blob): string => sent?.folderName ?? name;

/** What is said of a file whose import failed. */
function reasonFor(blob: Blob, wrong: ErrorBody): ErrorBody {
  const name = nameOf(blob);
  return wrong.message.includes(name) ? wrong : { ...wrong, message: `${name}: ${wrong.message}` };
}

/**
 * Files of an import that came to nothing. Where it failed they are kept with the reason, to be tried
 * again or left out; what an archive has still and what was cancelled is deleted.
 * @param ids uploads and what belongs to them; those that are gone are passed over
 * @param wrong why it failed; null where a person cancelled it
 */
export async function leaveFiles(
  client: Client,
  ids: readonly string[],
  wrong: ErrorBody | null,
): Promise<void> {
  const blobs = await findBlobs(client, ids);
  const kept = wrong ? blobs.filter(({ detail }) => !detail?.archive) : [];
  await deleteBlobs(
    client,
    ids.filter((id) => !kept.some((blob) => blob.id === id)),
  );
  for (const blob of kept) {
    await giveBack(client, blob.id, reasonFor(blob, wrong!));
  }
}
