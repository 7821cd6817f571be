import type { ChangeSetup, Grouping } from "@hindglance/core/change/setup";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Pick } from "../../ui/Pick";
import { Pop } from "../../ui/Pop";
import { NumberField } from "../../ui/NumberField";
import { NumberLine } from "../../ui/NumberLine";
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
      {grouping.method === "isodata" && <SplitAndMerge grouping={grouping} regroup={regroup} />}
    </>
  );
}

interface SplitProps {
  grouping: Grouping;
  regroup(part: Partial<Grouping>): void;
}

/** When ISODATA splits and merges groups. */
function SplitAndMerge({ grouping, regroup }: SplitProps) {
  return (
    <div className="mb-1 -mt-1 flex justify-end">
      <Pop
        label="ISODATA"
        width={290}
        trigger={
          <Button tone="quiet" className="h-6 px-1.5">
            split, merge
          </Button>
        }
      >
        <p className="mb-2 text-soft">
          In standard deviations of each band. Twice as many groups as asked for are the most there
          can be.
        </p>
        <NumberLine
          name="Split over a spread of"
          decimals={2}
          step={0.1}
          min={0.05}
          max={10}
          value={grouping.splitSpread}
          onCommit={(splitSpread) => regroup({ splitSpread })}
        />
        <NumberLine
          name="Merge nearer than"
          decimals={2}
          step={0.1}
          min={0}
          max={10}
          value={grouping.mergeDistance}
          onCommit={(mergeDistance) => regroup({ mergeDistance })}
        />
        <NumberLine
          name="Smallest group, %"
          label="Smallest group in per cent"
          decimals={1}
          step={0.5}
          min={0}
          max={20}
          value={grouping.leastShare * 100}
          onCommit={(value) => regroup({ leastShare: value / 100 })}
        />
      </Pop>
    </div>
  );
}
