import type { ClassInfo, ImageInfo } from "../graph/image";

/** Ground of no class of a map. */
export const NO_CHANGE: ClassInfo = { label: 0, name: "No change", color: "#d8d3c6" };

/** Names of a map's classes by label, that of no change among them. */
export function classNames({ classes }: Pick<ImageInfo, "classes">): (label: number) => string {
  const names = new Map([NO_CHANGE, ...(classes ?? [])].map(({ label, name }) => [label, name]));
  return (label) => names.get(label) ?? `Class ${label}`;
}
