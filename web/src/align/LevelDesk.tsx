import { useState } from "react";
import { useMutation } from "@tanstack/react-query";
import { alignRoutes } from "@hindglance/contract/align";
import type { AnswerOf } from "@hindglance/contract/route";
import type { LevelMethod, Levelling } from "@hindglance/core/align/alignment";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { Section } from "../frame/Section";
import { number } from "../lib/format";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Problem, Warning } from "../ui/Messages";
import { Pick } from "../ui/Pick";
import { LevelPlot } from "./LevelPlot";
import { LevelTable, WEAK } from "./LevelTable";

interface Props {
  studyId: string;
  sceneId: string;
  referenceId: string;
  level: Levelling | null;
  onSet(level: Levelling | null): void;
}

const METHODS: { value: LevelMethod; name: string; hint: string }[] = [
  {
    value: "unchanged",
    name: "Unchanged",
    hint: "Orthogonal regression over cells that reweighted MAD calls unchanged (Canty & Nielsen 2008)",
  },
  { value: "spread", name: "Spread", hint: "Mean and spread of all cells are matched" },
  {
    value: "histogram",
    name: "Histogram",
    hint: "The histograms of all cells are matched, along a curve: for dates whose numbers do not go by a line",
  },
];

/**
 * The level of a date against its reference: measured from unchanged cells, by mean and spread or by
 * histograms, looked at band by band, then taken or left.
 */
export function LevelDesk({ studyId, sceneId, referenceId, level, onSet }: Props) {
  const [method, setMethod] = useState<LevelMethod>("unchanged");
  const measure = useMutation({
    mutationFn: () =>
      call(alignRoutes.level, {
        params: { id: studyId },
        body: { referenceId, sceneId, method },
      }),
  });
  const found = measure.data;
  const isTaken = !!level && JSON.stringify(level) === JSON.stringify(found?.level);
  return (
    <Section title="Level">
      <p className="mb-2 text-soft">
        Light, air and season set dates on different levels. Levelling brings this one to the level
        of the reference, from cells that did not change.
      </p>
      <div className="mb-2 flex items-center justify-between gap-2">
        <Choice<LevelMethod>
          label="How levels are measured"
          value={method}
          onChange={setMethod}
          options={METHODS}
        />
        <Button className="h-7" disabled={measure.isPending} onClick={() => measure.mutate()}>
          {measure.isPending ? "Measuring …" : "Measure"}
        </Button>
      </div>
      {measure.error && <Problem>{sayError(measure.error)}</Problem>}
      {found && (
        <Found
          key={measure.submittedAt}
          found={found}
          isTaken={isTaken}
          onTake={() => onSet(found.level)}
        />
      )}
      {level && (
        <div className="mt-2 flex items-center justify-between gap-2">
          <span className="text-soft">
            Levelled in {level.bands.length} {level.bands.length === 1 ? "band" : "bands"},{" "}
            {number(level.cells)} cells
          </span>
          <Button className="h-7" onClick={() => onSet(null)}>
            Take the level away
          </Button>
        </div>
      )}
    </Section>
  );
}

interface FoundProps {
  found: AnswerOf<typeof alignRoutes.level>;
  isTaken: boolean;
  onTake(): void;
}

/** What was measured: every band in a table, one of them as a plot. */
function Found({ found, isTaken, onTake }: FoundProps) {
  const { bands, cells, of: looked } = found.fit;
  const [band, setBand] = useState<string | null>(null);
  const shown = bands.find((fit) => fit.band === band) ?? bands[0]!;
  return (
    <>
      <LevelTable bands={bands} shown={shown} onPick={setBand} />
      {bands.length > 1 && (
        <div className="my-2">
          <Pick
            label="Band of the plot"
            value={shown.band}
            onChange={setBand}
            options={bands.map((fit) => ({ value: fit.band, name: fit.band }))}
          />
        </div>
      )}
      <LevelPlot fit={shown} />
      <p className="mt-1 text-label text-soft">
        {number(cells)} of {number(looked)} cells looked at serve. The{" "}
        {shown.curve ? "curve" : "line"} takes the date to the level of the reference.
      </p>
      {bands.some(({ correlation }) => correlation < WEAK) && (
        <div className="mt-2">
          <Warning>
            A band hardly goes along with the reference: its level cannot be trusted. Take a
            reference of the same season.
          </Warning>
        </div>
      )}
      {!isTaken && (
        <div className="mt-2 flex justify-end">
          <Button tone="act" onClick={onTake}>
            Level this date
          </Button>
        </div>
      )}
    </>
  );
}
