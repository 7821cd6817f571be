import type { SaidAtImport } from "@hindglance/contract/scenes";
import { dayYear, time } from "../lib/format";
import { VERTICALS } from "./vertical";

/** Kinds of scenes in words. */
export const KIND_NAMES: Record<string, string> = {
  radar: "Radar",
  optical: "Optical",
  elevation: "Elevation",
  classes: "Classes",
  other: "Other",
};

/** A fact and what was said of it. */
type Answer = [name: string, said: string];

const signed = (value: number): string => String(value).replace("-", "−");

const listed = (values: readonly (string | null)[]): string =>
  values.map((value) => value ?? "as in the file").join(", ");

/** Each answer that can be given, in words; null where it was not given. */
const WORDS: ((said: SaidAtImport) => Answer | null)[] = [
  ({ kind }) => (kind ? ["Kind", KIND_NAMES[kind] ?? kind] : null),
  ({ acquiredAt }) =>
    acquiredAt
      ? ["Taken", `${dayYear(acquiredAt)}, ${time(new Date(acquiredAt).toISOString())}`]
      : null,
  ({ polarisations }) => (polarisations ? ["Polarisations", listed(polarisations)] : null),
  ({ units }) =>
    units
      ? ["Units", listed(units.map((unit) => (unit === "power" ? "linear power" : unit)))]
      : null,
  ({ vertical }) =>
    vertical === undefined
      ? null
      : ["Heights above", VERTICALS.find(({ value }) => value === (vertical ?? "unknown"))!.name],
  ({ epsg }) => (epsg ? ["System", `EPSG:${epsg}`] : null),
  ({ rescale }) =>
    rescale
      ? [
          "Numbers",
          `× ${rescale.scale} + ${rescale.offset}${rescale.fill === null ? "" : `, ${signed(rescale.fill)} is none`}`,
        ]
      : null,
  ({ rounded }) =>
    rounded ? ["Rounded", `to 32 bits, such as ${rounded.value} to ${rounded.becomes}`] : null,
  ({ cellM }) => (cellM ? ["Cells", `those of ${cellM} m`] : null),
  ({ bring }) => (bring ? ["Other bands", "brought to these cells"] : null),
];

/** What a person said of a scene at its import, in words. */
export const answersSaid = (said: SaidAtImport | undefined): Answer[] =>
  WORDS.flatMap((word) => {
    const answer = said && word(said);
    return answer ? [answer] : [];
  });
