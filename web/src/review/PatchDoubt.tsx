import { marginOf } from "@hindglance/core/review/margin";
import type { ChangeMap, PatchRow } from "../api/types";
import { type LayerUnit, withUnit } from "../compare/units";
import { number } from "../lib/format";
import { Hint } from "../ui/Hint";
import { unlikelyOf } from "./patches";

interface Props {
  map: ChangeMap;
  patch: PatchRow;
  /** Of the measure. */
  unit: LayerUnit;
}

/** The doubt of a patch: the share of its cells that are expected not to be of its class. */
export const doubtOf = ({ certainty }: Pick<PatchRow, "certainty">): number | null =>
  certainty === null ? null : 1 - certainty;

/** Doubt in whole percent; what is hardly any is said to be under one. */
export function doubtText(doubt: number): string {
  const percent = 100 * doubt;
  return percent > 0 && percent < 1 ? "< 1 %" : `${number(percent)} %`;
}

/** What other dates show, before the pair and after it. */
function otherDatesText(patch: PatchRow): string[] {
  const { earlierAlike, earlierSeen, laterAlike, laterSeen } = patch;
  const dates = (count: number, when: string) =>
    `${count} ${when} ${count === 1 ? "date" : "dates"}`;
  return [
    ...(earlierSeen > 0
      ? [`As before on ${earlierAlike} of ${dates(earlierSeen, "earlier")}`]
      : []),
    ...(laterSeen > 0 ? [`As after on ${laterAlike} of ${dates(laterSeen, "later")}`] : []),
  ];
}

/** What a second sensor says of it, where one was asked. */
function secondText({ seenShare, confirmedShare }: PatchRow): string[] {
  if (seenShare === null || confirmedShare === null) {
    return [];
  }
  return seenShare === 0
    ? ["The second sensor saw none of it"]
    : [
        `The second sensor saw ${number(100 * seenShare)} % of it and confirms ${number((100 * confirmedShare) / seenShare)} % of that`,
      ];
}

/** Where the mean of a patch lies beside its threshold. */
function marginText({ map, patch, unit }: Props): string[] {
  const margin = marginOf(map.setup, patch);
  if (!margin) {
    return [];
  }
  const { beyond, threshold } = margin;
  const said = (value: number, isSigned: boolean) =>
    withUnit(number(value, unit.decimals, isSigned), unit);
  const side = beyond >= 0 ? "beyond" : "short of";
  return [
    `Its mean is ${said(Math.abs(beyond), false)} ${side} the threshold of ${said(threshold, true)}`,
  ];
}

function reasonsOf(props: Props): string[] {
  const { map, patch } = props;
  const isUnlikely = unlikelyOf(map)?.includes(patch.label) ?? false;
  return [
    ...(isUnlikely ? ["This transition hardly happens"] : []),
    ...(patch.edgeShare === null
      ? []
      : [`${number(100 * patch.edgeShare)} % of its cells lie at its edge`]),
    ...marginText(props),
    ...otherDatesText(patch),
    ...secondText(patch),
  ];
}

/** The doubt of the picked patch, with what speaks for and against it. */
export function PatchDoubt(props: Props) {
  const doubt = doubtOf(props.patch);
  if (doubt === null) {
    return null;
  }
  return (
    <Hint
      text={
        <>
          <p className="mb-1">
            Of its cells {doubtText(doubt)} are expected to be something else, by what each looks
            like and what lies around it.
          </p>
          <ul className="list-disc pl-4 text-soft">
            {reasonsOf(props).map((text) => (
              <li key={text}>{text}</li>
            ))}
          </ul>
        </>
      }
    >
      doubt {doubtText(doubt)}
    </Hint>
  );
}
