import { Eye, EyeOff } from "lucide-react";
import type { ChangeSetup, Grouping } from "@hindglance/core/change/setup";
import type { GroupFacts } from "../../api/types";
import { areaSaid, number } from "../../lib/format";
import { Pick } from "../../ui/Pick";
import { Curves, spanOf } from "./Curves";
import { given } from "./grouping";

interface Props {
  facts: GroupFacts;
  grouping: Grouping;
  seenM2: number | null;
  hidden: ReadonlySet<number>;
  setHidden(groups: ReadonlySet<number>): void;
  change(apply: (setup: ChangeSetup) => ChangeSetup): void;
}

const NO_CLASS = { value: "0", name: "–" };

/** Groups that were found: shown or hidden, how large, what they look like, and of which class. */
export function GroupList({ facts, grouping, seenM2, hidden, setHidden, change }: Props) {
  const span = spanOf(facts);
  const classOf = (group: number) =>
    grouping.classes.find((one) => one.groups.includes(group))?.label ?? 0;
  const options = grouping.classes.map(({ label, name }) => ({ value: String(label), name }));
  const turn = (group: number) =>
    setHidden(
      hidden.has(group)
        ? new Set([...hidden].filter((one) => one !== group))
        : new Set(hidden).add(group),
    );
  return (
    <ul aria-label="Groups found">
      {facts.groups.map((found) => {
        const { group } = found;
        const isOff = hidden.has(group);
        return (
          <li
            key={group}
            className="grid grid-cols-[22px_1fr_84px_96px] items-center gap-1.5 border-t border-line py-1 first:border-t-0"
          >
            <button
              type="button"
              aria-label={`Group ${group} on the map`}
              aria-pressed={!isOff}
              title={isOff ? "Show on the map" : "Hide on the map"}
              onClick={() => turn(group)}
              className="text-soft hover:text-ink"
            >
              {isOff ? <EyeOff size={15} aria-hidden /> : <Eye size={15} aria-hidden />}
            </button>
            <Share found={found} isOff={isOff} seenM2={seenM2} />
            <Curves facts={facts} group={found} span={span} />
            <Pick
              label={`Class of group ${group}`}
              className="h-7 w-[96px]"
              value={String(classOf(group))}
              onChange={(value) => change(given(group, Number(value)))}
              options={[NO_CLASS, ...options]}
            />
          </li>
        );
      })}
    </ul>
  );
}

interface ShareProps {
  found: GroupFacts["groups"][number];
  isOff: boolean;
  seenM2: number | null;
}

const Share = ({ found, isOff, seenM2 }: ShareProps) => (
  <span className="flex items-center gap-2">
    <span
      className="h-3 w-3 shrink-0 rounded-[3px]"
      style={{ background: found.color, opacity: isOff ? 0.3 : 1 }}
      aria-hidden
    />
    <span className="leading-tight">
      <span className="whitespace-nowrap">
        <b className="mr-1.5 font-semibold">{found.group}</b>
        <span className="font-mono text-[11.5px]">{number(100 * found.share, 1)} %</span>
      </span>
      {seenM2 && (
        <span className="block whitespace-nowrap font-mono text-[11px] text-soft">
          ≈{areaSaid(found.share * seenM2)}
        </span>
      )}
    </span>
  </span>
);
