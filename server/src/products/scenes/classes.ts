import type { ClassInfo } from "@hindglance/core/graph/image";

/** Names of classes from a "1=Water; 2=Wood" legend, else "Class 1". */
export function classesFrom(
  legend: string | undefined,
  palette: string[] | null,
  labels: number[],
): ClassInfo[] {
  const names = new Map(
    (legend ?? "")
      .split(";")
      .map((s) => s.trim().split("="))
      .filter((x) => x.length === 2)
      .map(([k, value]) => [Number(k), value!.trim()]),
  );
  return labels.map((label) => ({
    label,
    name: names.get(label) ?? `Class ${label}`,
    color: palette?.[label] ?? "#8a938f",
  }));
}
