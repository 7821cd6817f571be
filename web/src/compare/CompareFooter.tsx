import type { Run } from "../api/types";
import { areaSaid, number } from "../lib/format";
import { Bar } from "../ui/Bar";
import { Button } from "../ui/Button";
import type { ComparisonOnScreen } from "./useComparison";

type Numbers = ComparisonOnScreen["numbers"];

/** How exact the figures are. */
function exactness({ isExact, running, areas, waitsForRun }: Numbers): string {
  if (running !== null) {
    return ` · measuring ${Math.round(running * 100)} %`;
  }
  if (isExact) {
    return " · exact";
  }
  if (waitsForRun) {
    return areas ? " · overview, dates not run" : "dates not run";
  }
  return areas ? " · overview" : "";
}

/** What the one figure is of: the areas of some classes together. */
export interface MainFigure {
  name: string;
  labels: number[];
}

/** The one figure that the page is about, and writing the map. */
export function CompareFooter({
  main,
  numbers,
  writing,
  disabled,
  onWrite,
}: {
  main: MainFigure | null;
  numbers: Numbers;
  writing: Run | null;
  disabled: boolean;
  onWrite(): void;
}) {
  const { areas } = numbers;
  const areaM2 = (main?.labels ?? []).reduce(
    (sum, label) => sum + (areas?.byLabel[label]?.areaM2 ?? 0),
    0,
  );
  return (
    <div className="flex items-center justify-between gap-3">
      <div className="min-w-0">
        <div className="truncate text-[15px]" data-testid="headline">
          <b>{areas ? areaSaid(areaM2) : "–"}</b> {main?.name.toLowerCase()}
        </div>
        <div className="text-label text-soft">
          {areas && areas.seenM2 > 0
            ? `${number((100 * areaM2) / areas.seenM2, 1)} % of the area seen`
            : ""}
          {exactness(numbers)}
        </div>
      </div>
      {writing ? (
        <span className="w-[140px] shrink-0">
          <span className="text-label text-soft">{writing.doing}</span>
          <Bar share={writing.progress} label="Writing the change map" />
        </span>
      ) : (
        <Button tone="act" className="shrink-0" disabled={disabled} onClick={onWrite}>
          Write change map
        </Button>
      )}
    </div>
  );
}
