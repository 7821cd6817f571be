import { useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Layers } from "lucide-react";
import type { OverTimeAsk } from "@hindglance/contract/prepare";
import type { Sent } from "@hindglance/contract/route";
import type { TimeStatistic } from "@hindglance/core/radar/overTime";
import { sayError } from "../api/client";
import { keys } from "../api/hooks";
import type { Study } from "../api/types";
import { useUi } from "../state/ui";
import { Button } from "../ui/Button";
import { Labelled, inputStyle } from "../ui/Labelled";
import { Problem } from "../ui/Messages";
import { Pick } from "../ui/Pick";
import { Pop } from "../ui/Pop";
import { NumberField } from "../ui/NumberField";

const STATISTICS: { value: TimeStatistic | "changes"; name: string; note: string }[] = [
  { value: "mean", name: "Mean", note: "a calm before image" },
  { value: "median", name: "Median", note: "lone events leave no trace" },
  { value: "min", name: "Minimum", note: "the lowest of all dates" },
  { value: "max", name: "Maximum", note: "the highest of all dates" },
  { value: "mode", name: "Mode", note: "the value that comes most" },
  { value: "percentile", name: "Percentile", note: "a chosen place in the order" },
  { value: "deviation", name: "Standard deviation", note: "what changes at all" },
  { value: "count", name: "Count", note: "dates with a value" },
];
/** Of radar alone. */
const CHANGES = {
  value: "changes" as const,
  name: "Changes",
  note: "when, how often, brighter or darker",
};
const ENDS = [
  { end: "from", label: "From" },
  { end: "to", label: "To" },
] as const;

/** −log₁₀ of the chance by which unchanged ground is called changed, as it is proposed. */
const USUAL_RARITY = 3;
/** Share of the dates that is proposed to lie below a percentile, per cent. */
const USUAL_PERCENT = 25;

type Ask = Sent<OverTimeAsk>;

interface Props {
  study: Study;
  /** Days of the dates, in order. */
  days: string[];
  /** Whether they are radar power, of which is known how it varies by speckle alone. */
  isPower?: boolean;
  /** The statistic that is proposed. */
  first: "mean" | "median";
  /** What it is computed of, in words. */
  of: string;
  /** Asks for it. */
  ask(said: Ask): Promise<unknown>;
}

/** All days up to the event; all there are where none lies before it. */
function usualSpan(study: Study, days: readonly string[]): { from: string; to: string } {
  const event = study.eventAt?.slice(0, 10);
  const before = days.filter((day) => !event || day < event);
  return { from: days[0] ?? "", to: before.at(-1) ?? days.at(-1) ?? "" };
}

/**
 * One statistic over the dates of a span, written as a scene of its own that can stand on either
 * side of a comparison. Nothing where there are fewer than two dates.
 */
export function OverTime({ study, days, isPower = false, first, of, ask }: Props) {
  const queryClient = useQueryClient();
  const [open, setOpen] = useState(false);
  const [said, setSaid] = useState<Partial<Ask>>({});
  const asked: Ask = { statistic: first, ...usualSpan(study, days), ...said };
  const inside = days.filter((day) => day >= asked.from && day <= asked.to);
  const make = useMutation({
    mutationFn: () =>
      ask(asked.statistic === "percentile" ? { percent: USUAL_PERCENT, ...asked } : asked),
    onSuccess: () => {
      setOpen(false);
      useUi.getState().say("It is being computed and will stand among the scenes.");
      for (const queryKey of [keys.runs, keys.scenes(study.id)]) {
        void queryClient.invalidateQueries({ queryKey });
      }
    },
  });
  if (days.length < 2) {
    return null;
  }
  return (
    <Pop
      label="Over time"
      width={300}
      open={open}
      onOpenChange={(isOpen) => {
        setOpen(isOpen);
        make.reset();
      }}
      trigger={
        <Button className="h-7 px-2">
          <Layers size={14} aria-hidden />
          Over time …
        </Button>
      }
    >
      <h2 className="mb-1">One scene of several dates</h2>
      <p className="mb-2 text-label text-soft">
        Cell by cell over {of}; nodata is left out. The bands say which statistic they hold.
      </p>
      <Fields asked={asked} isPower={isPower} change={(part) => setSaid({ ...said, ...part })} />
      {make.error && (
        <div className="mb-2">
          <Problem>{sayError(make.error)}</Problem>
        </div>
      )}
      <div className="flex items-center justify-between gap-2">
        <span className="text-label text-soft">
          {inside.length} {inside.length === 1 ? "date" : "dates"}
        </span>
        <Button
          tone="act"
          disabled={inside.length < 2 || make.isPending}
          onClick={() => make.mutate()}
        >
          Make the scene
        </Button>
      </div>
    </Pop>
  );
}

interface FieldsProps {
  asked: Ask;
  isPower: boolean;
  change(part: Partial<Ask>): void;
}

function Fields({ asked, isPower, change }: FieldsProps) {
  return (
    <>
      <Labelled label="Statistic">
        {(id) => (
          <Pick
            id={id}
            label="Statistic"
            value={asked.statistic}
            onChange={(statistic) => change({ statistic })}
            options={isPower ? [...STATISTICS, CHANGES] : STATISTICS}
          />
        )}
      </Labelled>
      {asked.statistic === "percentile" && (
        <div className="mb-3 flex items-center justify-between">
          <span>Percent of the dates below it</span>
          <NumberField
            label="Percent"
            decimals={0}
            step={5}
            min={0}
            max={100}
            value={asked.percent ?? USUAL_PERCENT}
            onCommit={(percent) => change({ percent })}
          />
        </div>
      )}
      {asked.statistic === "changes" && (
        <div className="mb-3 flex items-center justify-between gap-2">
          <span title="3: one unchanged cell in a thousand">Rarity, −log₁₀ of the chance</span>
          <NumberField
            label="Rarity"
            decimals={1}
            step={0.5}
            min={1}
            max={12}
            value={asked.rarity ?? USUAL_RARITY}
            onCommit={(rarity) => change({ rarity })}
          />
        </div>
      )}
      <div className="grid grid-cols-2 gap-2">
        {ENDS.map(({ end, label }) => (
          <Labelled key={end} label={label}>
            {(id) => (
              <input
                id={id}
                type="date"
                className={inputStyle}
                value={asked[end]}
                onChange={(event) => change({ [end]: event.target.value })}
              />
            )}
          </Labelled>
        ))}
      </div>
    </>
  );
}
