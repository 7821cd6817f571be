import { type ReactNode, useState } from "react";
import { Copy, Trash2 } from "lucide-react";
import { wholeOutcome, zoneOutcomes } from "@hindglance/core/accuracy/outcome";
import type { Sample, SampleResult } from "@hindglance/contract/accuracy";
import type { ChangeMap, Scene, Study } from "../api/types";
import { useSettled } from "../compare/useSettled";
import { Section } from "../frame/Section";
import { Workspace } from "../frame/Workspace";
import { copyText } from "../lib/copyText";
import { dayYear, number } from "../lib/format";
import { STILL_MS } from "../review/useReview";
import { type DatesOfMap, useDates, useLookOfMap } from "../review/useDates";
import { ClassMap } from "../tally/ClassMap";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Confirm } from "../ui/Confirm";
import { Warning } from "../ui/Messages";
import { Pick } from "../ui/Pick";
import { namesOf } from "./classes";
import { Looking, useLooking } from "./Looking";
import { OutcomeNotes, OutcomePicture } from "./Outcome";
import { outcomeText } from "./outcomeText";
import { PlaceLook, PlacePicture } from "./PlacePicture";
import { Planner } from "./Planner";
import { TestOnAreas } from "./TestOnAreas";
import { useRemoveSample, useSampleResult, useSamples } from "./useSamples";

interface Props {
  study: Study;
  map: ChangeMap;
  before: Scene | null;
  after: Scene | null;
  strip: ReactNode;
  /** Which map it is, and what of it is looked at. */
  head: ReactNode;
}

/** Whether a map was tested on areas of known class, and not on places. */
const isOfAreas = ({ drawing }: Sample["design"]): boolean => drawing === "areas";

/** Stands for a sample that is to be drawn, in the list. */
const NEW = "new";

/** How right a map is: a sample is planned and drawn, looked at place by place, and told as a matrix. */
export function AccuracyPage(props: Props) {
  const { map } = props;
  const samples = useSamples(map).data;
  const [picked, setPicked] = useState<string | null>(null);
  if (!samples) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  const sample =
    picked === NEW ? null : (samples.find(({ id }) => id === picked) ?? samples[0] ?? null);
  const chooser = samples.length > 0 && (
    <Section title="Sample">
      <Pick
        label="Sample"
        className="w-full"
        value={sample?.id ?? NEW}
        onChange={setPicked}
        options={[
          ...samples.map(({ id, name, places, design, createdAt }) => ({
            value: id,
            name: isOfAreas(design) ? `${name}, test areas` : `${name}, ${number(places)} places`,
            note: dayYear(createdAt),
          })),
          { value: NEW, name: "New sample …" },
        ]}
      />
    </Section>
  );
  return sample ? (
    <OfSample key={sample.id} {...props} sample={sample} chooser={chooser} />
  ) : (
    <Planning {...props} samples={samples.length} chooser={chooser} onDrawn={setPicked} />
  );
}

interface PlanningProps extends Props {
  samples: number;
  chooser: ReactNode;
  onDrawn(sample: string): void;
}

function Planning({ study, map, strip, head, samples, chooser, onDrawn }: PlanningProps) {
  return (
    <Workspace
      label="Accuracy"
      strip={strip}
      picture={<ClassMap map={map} study={study} only={null} />}
      desk={
        <>
          {head}
          {chooser}
          <Planner map={map} samples={samples} onDrawn={onDrawn} />
          <TestOnAreas map={map} onCounted={onDrawn} />
        </>
      }
    />
  );
}

type Doing = "look" | "result";

interface SampleProps extends Props {
  sample: Sample;
  chooser: ReactNode;
}

function OfSample(props: SampleProps) {
  const { study, map, before, after, sample } = props;
  const isLookedAt = !isOfAreas(sample.design);
  const [doing, setDoing] = useState<Doing>(isLookedAt ? "look" : "result");
  const result = useSampleResult(sample.id).data;
  const dates = useDates(study, map, before, after);
  const desk = (
    <>
      {props.head}
      {props.chooser}
      <Section>
        <div className="flex items-center justify-between gap-2">
          {isLookedAt ? (
            <Choice<Doing>
              label="What is done with the sample"
              className="flex-1"
              value={doing}
              onChange={setDoing}
              options={[
                { value: "look", name: "Look" },
                { value: "result", name: "Result" },
              ]}
            />
          ) : (
            <span className="text-soft">Cells of {number(sample.design.count)} areas</span>
          )}
          <Remove map={map} sample={sample} />
        </div>
      </Section>
    </>
  );
  return doing === "look" ? (
    <Look {...props} dates={dates} desk={desk} />
  ) : (
    <Result {...props} result={result ?? null} desk={desk} />
  );
}

/** Deletes a sample, after it was asked about. */
function Remove({ map, sample }: { map: ChangeMap; sample: Sample }) {
  const [isAsked, ask] = useState(false);
  const remove = useRemoveSample(map);
  const looks = sample.interpreters.reduce((sum, { places }) => sum + places, 0);
  return (
    <>
      <Button
        tone="quiet"
        className="h-7 w-7 px-0!"
        aria-label="Delete the sample"
        title="Delete the sample"
        onClick={() => ask(true)}
      >
        <Trash2 size={15} aria-hidden />
      </Button>
      <Confirm
        open={isAsked}
        onOpenChange={ask}
        title={`Delete ${sample.name}?`}
        text={`Its ${number(sample.places)} places go, with ${number(looks)} times that somebody said what one is.`}
        act="Delete it"
        onAct={() => remove(sample.id)}
      />
    </>
  );
}

interface LookProps extends SampleProps {
  dates: DatesOfMap;
  desk: ReactNode;
}

function Look({ study, map, before, after, strip, sample, dates, desk }: LookProps) {
  const looking = useLooking(map, sample);
  const look = useLookOfMap(map, dates);
  const isThere = before && after && !dates.gone && !dates.error;
  // Keys go faster than pictures: what is passed by is not drawn.
  const place = useSettled(looking.place, STILL_MS, false);
  const shown = { study, map, place, dates, look };
  return (
    <Workspace
      label="Accuracy"
      strip={strip}
      picture={
        isThere ? (
          <PlacePicture {...shown} before={before} after={after} />
        ) : (
          <p className="p-6 text-[#c9d0cd]">The dates of this map are not to be had.</p>
        )
      }
      desk={
        <>
          {desk}
          {isThere ? (
            <Looking map={map} sample={sample} looking={looking} />
          ) : (
            <Section>
              <Warning>
                A date of this map is not in the study any more, or is not prepared: places cannot
                be looked at.
              </Warning>
            </Section>
          )}
        </>
      }
      footer={isThere ? <PlaceLook {...shown} before={before} after={after} /> : undefined}
    />
  );
}

interface ResultProps extends SampleProps {
  result: SampleResult | null;
  desk: ReactNode;
}

const AREAS_WORDS =
  "Cells of the map under areas of known class. Such areas are no random sample of the map: shares are of their cells alone, and neither intervals nor areas of the whole map follow from them.";

function drawnWords({ places, nearCells, design: { drawing, seed } }: Sample): string {
  const near = nearCells > 0 ? `; ground within ${nearCells} cells of change apart` : "";
  const drawn = drawing === "areas" ? "" : DRAWN[drawing];
  return `${number(places)} places drawn ${drawn}, seed ${seed}${near}. Areas and accuracies with their standard errors by Olofsson et al. 2014.`;
}

const DRAWN = {
  stratified: "by class",
  simple: "from the whole map; figures are post-stratified by class",
  systematic: "on a lattice; figures are post-stratified by class",
} as const;

function Result({ map, strip, sample, result, desk }: ResultProps) {
  if (!result) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  const outcome = wholeOutcome(sample, result);
  const { accuracy } = outcome;
  const isOfPlaces = !isOfAreas(sample.design);
  return (
    <Workspace
      label="Accuracy"
      strip={strip}
      picture={<OutcomePicture {...{ map, outcome, isOfPlaces }} zones={zoneOutcomes(result)} />}
      desk={
        <>
          {desk}
          <Section title="How it was found">
            <p className="mb-2 text-soft">{isOfPlaces ? drawnWords(sample) : AREAS_WORDS}</p>
            {isOfPlaces && <OutcomeNotes map={map} outcome={outcome} left={result} />}
          </Section>
          <Who sample={sample} result={result} />
        </>
      }
      footer={
        accuracy && (
          <Button onClick={() => copyText(outcomeText(accuracy, namesOf(map)))}>
            <Copy size={14} aria-hidden />
            Copy table
          </Button>
        )
      }
    />
  );
}

/** Who looked at the places, and how far they agree. */
function Who({ sample, result }: { sample: Sample; result: SampleResult }) {
  if (sample.interpreters.length === 0) {
    return null;
  }
  const agreed = result.agreement.filter(({ places }) => places > 0);
  return (
    <Section title="Who looked">
      <ul className="text-soft">
        {sample.interpreters.map(({ interpreter, places }) => (
          <li key={interpreter}>
            {interpreter}: {number(places)} {places === 1 ? "place" : "places"}
          </li>
        ))}
        {agreed.map(({ interpreters, places, alike, kappa }) => (
          <li key={interpreters.join(" ")}>
            {interpreters.join(" and ")} agree on {number(alike)} of {number(places)}
            {kappa !== null && ` (κ ${number(kappa, 2)})`}
          </li>
        ))}
      </ul>
    </Section>
  );
}
