import type { ArrivingFile } from "@hindglance/contract/upload";
import type { Blob } from "../db/blobs";

/** Files as one thing that arrives: a file by itself, or those of a folder that have begun to. */
function arrivingOf(id: string, blobs: readonly Blob[]): ArrivingFile {
  const { sent, name, length } = blobs[0]!;
  const isFolder = sent?.folder != null;
  const files = isFolder ? sent.files : 1;
  const isWhole = blobs.length === files && blobs.every((blob) => blob.size === blob.length);
  const refused = blobs.find((blob) => blob.refused)?.refused ?? null;
  const touched = Math.max(...blobs.map((blob) => Date.parse(String(blob.touchedAt))));
  return {
    id,
    folder: isFolder,
    name: (isFolder ? sent.folderName : null) ?? name,
    files,
    length: isFolder ? sent.bytes : length!,
    size: blobs.reduce((sum, blob) => sum + blob.size, 0),
    touchedAt: new Date(touched).toISOString(),
    state: stateOf(refused, isWhole),
    refused,
    parts: blobs.map((blob) => ({
      id: blob.id,
      path: blob.sent?.path ?? blob.name,
      length: blob.length!,
      size: blob.size,
      modified: blob.sent?.modified ?? null,
    })),
  };
}

function stateOf(refused: Blob["refused"], isWhole: boolean): ArrivingFile["state"] {
  if (refused) {
    return "refused";
  }
  return isWhole ? "settling" : "coming";
}

/** What is on its way or was refused, by when it began. */
export function arrivingFiles(blobs: readonly Blob[]): ArrivingFile[] {
  const things = new Map<string, Blob[]>();
  for (const blob of blobs) {
    const key = blob.sent?.folder ?? blob.id;
    things.set(key, [...(things.get(key) ?? []), blob]);
  }
  return [...things].map(([id, files]) => arrivingOf(id, files));
}
