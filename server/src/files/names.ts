/** Name of a file of a map, without what file systems do not take. */
export function fileNameOf({ name }: { name: string }, extension: string): string {
  const plain = name
    .normalize("NFKD")
    .replace(/\p{M}/gu, "")
    .replace(/[^\w.-]+/g, "_")
    .replace(/^_+|_+$/g, "");
  return `${plain || "change_map"}.${extension}`;
}
