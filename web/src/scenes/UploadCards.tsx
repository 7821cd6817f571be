import { saysEverything } from "@hindglance/contract/upload";
import { useUploads } from "../api/hooks";
import { Ask } from "./Ask";
import { LeftBehind } from "./LeftBehind";

/** Files that were looked at and are no scenes yet: what has to be asked, what was left behind. */
export function UploadCards({ studyId }: { studyId: string }) {
  const uploads = useUploads(studyId).data ?? [];
  return uploads.map((upload) => {
    const { id, detail } = upload;
    return (
      detail && (
        <div key={id} className="mb-2">
          {saysEverything(detail) ? (
            <LeftBehind studyId={studyId} upload={upload} />
          ) : (
            <Ask studyId={studyId} upload={upload} detail={detail} />
          )}
        </div>
      )
    );
  });
}
