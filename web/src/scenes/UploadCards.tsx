import { saysEverything } from "@hindglance/contract/upload";
import { useUploads } from "../api/hooks";
import { Ask } from "./Ask";
import { useNow } from "../lib/useNow";
import { LeftBehind } from "./LeftBehind";

/** A file that has been looked at for longer than this was forgotten, milliseconds. */
const FORGOTTEN_MS = 60_000;

/**
 * Files that have arrived and are no scenes yet: what has to be asked, what was left behind. A file
 * that is being looked at right now shows nothing; its line of sending does.
 */
export function UploadCards({ studyId }: { studyId: string }) {
  const now = useNow(10_000);
  const uploads = useUploads(studyId).data ?? [];
  return uploads.map((upload) => {
    const { id, detail, createdAt } = upload;
    if (detail && !saysEverything(detail)) {
      return (
        <div key={id} className="mb-2">
          <Ask studyId={studyId} upload={upload} detail={detail} />
        </div>
      );
    }
    return detail || now - Date.parse(createdAt) > FORGOTTEN_MS ? (
      <div key={id} className="mb-2">
        <LeftBehind studyId={studyId} upload={upload} />
      </div>
    ) : null;
  });
}
