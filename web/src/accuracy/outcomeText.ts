import type { OutcomeAccuracy } from "@hindglance/core/accuracy/outcome";

/** The outcome as text with tabs, for pasting into a document. */
export function outcomeText(
  { labels, units, ...accuracy }: OutcomeAccuracy,
  nameOf: (label: number) => string,
) {
  const share = (one: { value: number; low: number | null; high: number | null } | null) =>
    one ? [one.value, one.low ?? "", one.high ?? ""] : ["", "", ""];
  const lines: (string | number)[][] = [
    ["map \\ reference, places", ...labels.map(nameOf)],
    ...units.map((row, k) => [nameOf(labels[k]!), ...row]),
    [],
    ["", "estimate", "95 % from", "95 % to"],
    ["overall accuracy", ...share(accuracy.overall)],
    ["kappa", ...share(accuracy.kappa)],
    ["quantity disagreement", ...share(accuracy.quantity)],
    ["allocation disagreement", ...share(accuracy.allocation)],
    ...accuracy.classes.flatMap((one) => [
      [`${nameOf(one.label)}, mapped m²`, one.mappedM2],
      [`${nameOf(one.label)}, adjusted m²`, ...share(one.area)],
      [`${nameOf(one.label)}, user's`, ...share(one.users)],
      [`${nameOf(one.label)}, producer's`, ...share(one.producers)],
      [`${nameOf(one.label)}, F1`, ...share(one.f1)],
      [`${nameOf(one.label)}, kappa`, ...share(one.kappa)],
    ]),
  ];
  return lines.map((cells) => cells.join("\t")).join("\n");
}
