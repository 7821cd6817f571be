import type { ChangeSetup, Grouping } from "@hindglance/core/change/setup";
import { Choice } from "../../ui/Choice";
import { Pick } from "../../ui/Pick";
import { NumberField } from "../../ui/NumberField";
import { SplitAndMerge } from "./SplitAndMerge";
import { regrouped } from "./grouping";

const OF: { value: Grouping["of"]; name: string; note: string }[] = [
  { value: "differences", name: "Differences", note: "after − before, all bands" },
  { value: "both", name: "Both dates", note: "all bands of both" },
  { value: "measure", name: "The measure", note: "one band" },
  { value: "after", name: "After", note: "all bands" },
  { value: "before", name: "Before", note: "all bands" },
];
const METHODS: { value: Grouping["method"]; name: string; hint: string }[] = [
  { value: "kMeans", name: "k-means", hint: "Lloyd 1982, from a k-means++ start" },
  {
    value: "isodata",
    name: "ISODATA",
    hint: "Ball & Hall 1965: splits wide groups and merges near ones",
  },
];

interface Props {
  grouping: Grouping;
  change(apply: (setup: ChangeSetup) => ChangeSetup): void;
}

/** What is grouped, how, and into how many. */
export function GroupingFields({ grouping, change }: Props) {
  const regroup = (part: Partial<Grouping>) => change(regrouped(part));
  return (
    <>
      <div className="mb-2 grid grid-cols-[1fr_auto_auto] items-center gap-2">
        <Pick
          label="Group by"
          value={grouping.of}
          onChange={(value) => regroup({ of: value })}
          options={OF}
        />
        <Choice
          label="Method"
          value={grouping.method}
          onChange={(method) => regroup({ method })}
          options={METHODS}
        />
        <span className="flex items-center gap-1" title="Number of groups">
          <NumberField
            label="Number of groups"
            decimals={0}
            step={1}
            min={2}
            max={24}
            value={grouping.groups}
            onCommit={(value) => regroup({ groups: Math.round(value) })}
          />
        </span>
      </div>
      {grouping.method === "isodata" && <SplitAndMerge params={grouping} regroup={regroup} />}
    </>
  );
}
