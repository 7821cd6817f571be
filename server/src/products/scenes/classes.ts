import type { NamedClass } from "@hindglance/formats/classes/classNames";
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

/** Classes with the names and colours that a file gives them; those that it does not name stay. */
export function withNames(
  classes: readonly ClassInfo[],
  named: readonly NamedClass[],
): ClassInfo[] {
  const own = named.map(({ label, name, color }): ClassInfo => {
    const old = classes.find((one) => one.label === label);
    return { label, name, color: color ?? old?.color ?? "#8a938f" };
  });
  const rest = classes.filter(({ label }) => !named.some((one) => one.label === label));
  return [...own, ...rest].sort((a, b) => a.label - b.label);
}
