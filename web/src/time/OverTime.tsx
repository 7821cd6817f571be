import { useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Layers } from "lucide-react";
import { api, sayError } from "../api/client";
import { keys } from "../api/hooks";
import type { Study } from "../api/types";
import { useUi } from "../state/ui";
import { Button, Labelled, Pick, Pop, Problem, inputStyle } from "../ui/controls";
import { NumberField } from "../ui/NumberField";

const STATISTICS: { value: string; name: string; note: string }[] = [
  { value: "mean", name: "Mean", note: "a calm before image" },
  { value: "median", name: "Median", note: "lone events leave no trace" },
  { value: "min", name: "Minimum", note: "the lowest of all dates" },
  { value: "max", name: "Maximum", note: "the highest of all dates" },
  { value: "mode", name: "Mode", note: "the value that comes most" },
  { value: "percentile", name: "Percentile", note: "a chosen place in the order" },
  { value: "deviation", name: "Standard deviation", note: "what changes at all" },
  { value: "count", name: "Count", note: "dates with a value" },
];

/**
 * One statistic over the dates of a span, written as a scene of its own that can stand on either
 * side of a comparison. Nothing where there are fewer than two dates.
 * @param days of the dates, in order; @param path where it is asked for, with what must be said
 * besides
 */
export function OverTime({
  study,
  days,
  first,
  of,
  path,
  more = {},
}: {
  study: Study;
  days: string[];
  first: "mean" | "median";
  of: string;
  path: string;
  more?: object;
}) {
  const queryClient = useQueryClient();
  const event = study.eventAt?.slice(0, 10);
  const [open, setOpen] = useState(false);
  const [statistic, setStatistic] = useState<string>(first);
  const [percent, setPercent] = useState(25);
  const [span, setSpan] = useState<{ from: string; to: string } | null>(null);
  const before = days.filter((day) => !event || day < event);
  const s = span ?? { from: days[0] ?? "", to: before.at(-1) ?? days.at(-1) ?? "" };
  const inside = days.filter((day) => day >= s.from && day <= s.to);
  const make = useMutation({
    mutationFn: () =>
      api<{ runId: string }>("POST", path, {
        statistic,
        ...s,
        ...(statistic === "percentile" ? { percent } : {}),
        ...more,
      }),
    onSuccess: () => {
      setOpen(false);
      useUi.getState().say("It is being computed and will stand among the scenes.");
      for (const key of [keys.runs, keys.scenes(study.id)]) {
        void queryClient.invalidateQueries({ queryKey: key });
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
      <Labelled label="Statistic">
        {(id) => (
          <Pick
            id={id}
            label="Statistic"
            value={statistic}
            onChange={setStatistic}
            options={STATISTICS}
          />
        )}
      </Labelled>
      {statistic === "percentile" && (
        <div className="mb-3 flex items-center justify-between">
          <span>Percent of the dates below it</span>
          <NumberField
            label="Percent"
            decimals={0}
            step={5}
            min={0}
            max={100}
            value={percent}
            onCommit={setPercent}
          />
        </div>
      )}
      <div className="grid grid-cols-2 gap-2">
        {(["from", "to"] as const).map((k) => (
          <Labelled key={k} label={k === "from" ? "From" : "To"}>
            {(id) => (
              <input
                id={id}
                type="date"
                className={inputStyle}
                value={s[k]}
                onChange={(e) => setSpan({ ...s, [k]: e.target.value })}
              />
            )}
          </Labelled>
        ))}
      </div>
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
