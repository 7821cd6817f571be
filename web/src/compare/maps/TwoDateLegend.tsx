import { number } from "../../lib/format";
import type { TwoDate } from "../../map/twoDates";
import { Pick } from "../../ui/Pick";
import { type LayerUnit, unitOf, withUnit } from "../units";

const CHOICES: { value: TwoDate; name: string }[] = [
  { value: "clay", name: "Blue and clay" },
  { value: "redCyan", name: "Red and cyan" },
  { value: "withChange", name: "Before, after, change" },
];

interface Words {
  less: string;
  more: string;
  change: string;
}

/** Colours of a two-date picture, their names and what they mean. */
const MEANING: Record<TwoDate, (words: Words) => [string, string, string][]> = {
  clay: ({ less, more }) => [
    ["#8fb3e6", "blue", `${less} after`],
    ["#eb9a73", "clay", `${more} after`],
  ],
  redCyan: ({ less, more }) => [
    ["#ff8d85", "red", `${less} after`],
    ["#6fdcdc", "cyan", `${more} after`],
  ],
  withChange: ({ change }) => [
    ["#ff8d85", "red", "before"],
    ["#7fd98b", "green", "after"],
    ["#8fb3ff", "blue", `change, full at ${change}`],
  ],
};

/** What the colours of a two-date picture mean. */
export function TwoDateLegend({
  how,
  unit,
  changeEnd,
}: {
  how: TwoDate;
  unit: LayerUnit;
  changeEnd: number;
}) {
  const isRadar = unit.unit === "dB";
  const measure = unitOf("measure", unit);
  const words = {
    less: isRadar ? "darker" : "less",
    more: isRadar ? "brighter" : "more",
    change: withUnit(number(changeEnd, measure.decimals), measure),
  };
  return (
    <div className="pointer-events-none absolute right-3 top-3 flex gap-2 rounded-field bg-night/85 px-2.5 py-1 text-label text-[#d5dbd8]">
      {MEANING[how](words).map(([colour, name, text]) => (
        <span key={name}>
          <b style={{ color: colour }}>{name}</b> {text}
        </span>
      ))}
    </div>
  );
}

/** Which colours stand for the two dates. */
export const TwoDateChoice = ({
  how,
  onChange,
}: {
  how: TwoDate;
  onChange(how: TwoDate): void;
}) => (
  <div className="absolute right-3 top-12 z-10 rounded-card bg-night/85 p-1">
    <Pick
      label="Two-date colours"
      className="h-7 w-[190px]"
      value={how}
      onChange={onChange}
      options={CHOICES}
    />
  </div>
);
