import type { GroupParams } from "@hindglance/core/graph/steps/groups";
import { Button } from "../../ui/Button";
import { NumberLine } from "../../ui/NumberLine";
import { Pop } from "../../ui/Pop";

type Bounds = Pick<GroupParams, "splitSpread" | "mergeDistance" | "leastShare">;

interface Props {
  params: Bounds;
  regroup(part: Partial<Bounds>): void;
}

/** When ISODATA splits and merges groups. */
export function SplitAndMerge({ params, regroup }: Props) {
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
          value={params.splitSpread}
          onCommit={(splitSpread) => regroup({ splitSpread })}
        />
        <NumberLine
          name="Merge nearer than"
          decimals={2}
          step={0.1}
          min={0}
          max={10}
          value={params.mergeDistance}
          onCommit={(mergeDistance) => regroup({ mergeDistance })}
        />
        <NumberLine
          name="Smallest group, %"
          label="Smallest group in per cent"
          decimals={1}
          step={0.5}
          min={0}
          max={20}
          value={params.leastShare * 100}
          onCommit={(value) => regroup({ leastShare: value / 100 })}
        />
      </Pop>
    </div>
  );
}
