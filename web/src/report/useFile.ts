import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import type { FileFormat } from "@hindglance/contract/files";
import { useQueryClient } from "@tanstack/react-query";
import { call } from "../api/call";
import { keys } from "../api/hooks";
import type { ChangeMap, MadeFile } from "../api/types";
import { useBegun } from "../api/useBegun";

/** Lets the browser fetch a file that was made. */
export function download(found: { id: string }): void {
  const element = document.createElement("a");
  element.href = `/api/files/${found.id}`;
  element.download = "";
  document.body.append(element);
  element.click();
  element.remove();
}

/**
 * One file of a change map: made by a run when it is first asked for, then there to be taken again.
 */
export function useFile(
  map: ChangeMap,
  format: FileFormat,
): {
  file: MadeFile | null;
  busy: boolean;
  progress: number;
  /** Takes the file, which is made first where it is not there. */
  get(): void;
  /** Makes it anew, whether it is there or not, and takes it. */
  make(): void;
} {
  const queryClient = useQueryClient();
  const file = map.files.find((madeFile) => madeFile.format === format) ?? null;
  const { begin, isBusy, progress } = useBegun(
    () => call(changeMapRoutes.makeFile, { params: { id: map.id }, body: { format } }),
    (result) => {
      if (result?.blobId) {
        download({ id: result.blobId });
        void queryClient.invalidateQueries({ queryKey: keys.maps(map.studyId) });
      }
    },
  );
  const make = () => begin(undefined);
  return { file, busy: isBusy, progress, get: () => (file ? download(file) : make()), make };
}
