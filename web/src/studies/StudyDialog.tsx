import { useState } from "react";
import { type UseFormReturn, useForm, useWatch } from "react-hook-form";
import { yupResolver } from "@hookform/resolvers/yup";
import { useQueryClient } from "@tanstack/react-query";
import * as yup from "yup";
import { changesBetween } from "@hindglance/contract/changes";
import { HAZARDS, type Hazard, studyRoutes } from "@hindglance/contract/studies";
import { call } from "../api/call";
import { ApiError, sayError } from "../api/client";
import { keys } from "../api/hooks";
import type { Study } from "../api/types";
import { Button } from "../ui/Button";
import { Labelled, inputStyle } from "../ui/Labelled";
import { Problem, Warning } from "../ui/Messages";
import { Pick } from "../ui/Pick";
import { Sheet } from "../ui/Sheet";
import { AreaField, type NamedArea } from "./AreaField";

const HAZARD_NAMES: Record<Hazard, string> = {
  flood: "Flood",
  fire: "Fire",
  "land cover": "Land cover",
  other: "Other",
};

const schema = yup.object({
  name: yup.string().trim().required("Give the study a name").max(120, "At most 120 characters"),
  hazard: yup.string().oneOf(HAZARDS).required(),
  date: yup
    .string()
    .default("")
    .matches(/^(\d{4}-\d\d-\d\d)?$/, {
      message: "A date such as 2025-05-12",
      excludeEmptyString: true,
    }),
  time: yup.string().default(""),
});
type Form = yup.InferType<typeof schema>;

interface Props {
  open: boolean;
  onOpenChange(isOpen: boolean): void;
  /** The study that is changed; a new one where it is left out. */
  study?: Study;
  onDone(study: Study): void;
}

/** Asks what a study is about; begins it or changes it. */
export function StudyDialog({ open, onOpenChange, study, onDone }: Props) {
  return (
    <Sheet open={open} onOpenChange={onOpenChange} title={study ? "Study" : "New study"}>
      <StudyForm
        study={study}
        onDone={(done) => {
          onOpenChange(false);
          onDone(done);
        }}
      />
    </Sheet>
  );
}

function startOf(study: Study | undefined): Form {
  const event = study?.eventAt ? new Date(study.eventAt).toISOString() : "";
  return {
    name: study?.name ?? "",
    hazard: study?.hazard ?? "flood",
    date: event.slice(0, 10),
    time: event.slice(11, 16),
  };
}

function areaOf(study: Study | undefined): NamedArea | null {
  const geometry = study?.studyArea;
  return geometry ? { name: "The present study area", geometry } : null;
}

/** What is said of a study. */
type Facts = Pick<Study, "name" | "hazard" | "eventAt" | "studyArea">;
const FACTS = ["name", "hazard", "eventAt", "studyArea"] as const satisfies (keyof Facts)[];

const factsOf = ({ name, hazard, date, time }: Form, area: NamedArea | null): Facts => ({
  name,
  hazard,
  eventAt: date ? `${date}T${time || "00:00"}:00Z` : null,
  studyArea: area?.geometry ?? null,
});

const isSame = (fact: keyof Facts, one: Facts, other: Facts): boolean =>
  fact === "eventAt"
    ? Date.parse(one.eventAt ?? "") === Date.parse(other.eventAt ?? "") ||
      one.eventAt === other.eventAt
    : changesBetween(one[fact], other[fact]).length === 0;

/** Facts that differ. */
const differing = (one: Facts, other: Facts) => FACTS.filter((fact) => !isSame(fact, one, other));

const only = (facts: Facts, names: readonly (keyof Facts)[]): Partial<Facts> =>
  Object.fromEntries(names.map((name) => [name, facts[name]]));

/** Begins a study, or changes what is another than was last seen of it. @throws ApiError */
function useSave(seen: Study | undefined) {
  const queryClient = useQueryClient();
  return async (facts: Facts): Promise<Study> => {
    const saved = seen
      ? await change(seen, facts)
      : await call(studyRoutes.create, { body: facts });
    await queryClient.invalidateQueries({ queryKey: keys.studies });
    queryClient.setQueryData(keys.study(saved.id), saved);
    return saved;
  };
}

async function change(seen: Study, facts: Facts): Promise<Study> {
  const names = differing(seen, facts);
  if (names.length === 0) {
    return seen;
  }
  const body = { ...only(facts, names), was: only(seen, names) };
  return call(studyRoutes.update, { params: { id: seen.id }, body });
}

/** Fields of the form by what the server calls them. */
const FIELD_OF: Record<string, keyof Form> = { name: "name", eventAt: "date" };

const isElsewhere = (error: unknown): boolean =>
  error instanceof ApiError && error.code === "changedElsewhere";

function StudyForm({ study, onDone }: { study?: Study; onDone(study: Study): void }) {
  // What the form began with: the study may be changed on another page while it is filled in.
  const [seen, setSeen] = useState(study);
  const [theirs, setTheirs] = useState<Study | null>(null);
  const form = useForm<Form>({ resolver: yupResolver(schema), defaultValues: startOf(study) });
  const [area, setArea] = useState(areaOf(study));
  const [problem, setProblem] = useState<string | null>(null);
  const save = useSave(theirs ?? seen);
  const submit = form.handleSubmit(async (said) => {
    try {
      onDone(await save(factsOf(said, area)));
    } catch (error) {
      const field = error instanceof ApiError ? FIELD_OF[error.field ?? ""] : undefined;
      if (seen && isElsewhere(error)) {
        setTheirs(await call(studyRoutes.find, { params: { id: seen.id } }));
      } else if (field) {
        form.setError(field, { message: sayError(error) });
      } else {
        setProblem(sayError(error));
      }
    }
  });
  const takeTheirs = () => {
    form.reset(startOf(theirs!));
    setArea(areaOf(theirs!));
    setSeen(theirs!);
    setTheirs(null);
  };
  return (
    <form onSubmit={(event) => void submit(event)} noValidate>
      <Fields form={form} />
      <AreaField
        area={area}
        onArea={(next) => {
          setArea(next);
          setProblem(null);
        }}
        onProblem={setProblem}
      />
      {problem && (
        <div className="mb-3">
          <Problem>{problem}</Problem>
        </div>
      )}
      {theirs && seen && <Elsewhere seen={seen} theirs={theirs} />}
      <div className="flex justify-end gap-2">
        {theirs && <Button onClick={takeTheirs}>Take theirs</Button>}
        <Button type="submit" tone="act" disabled={form.formState.isSubmitting}>
          {submitName(study, theirs)}
        </Button>
      </div>
    </form>
  );
}

function submitName(study: Study | undefined, theirs: Study | null): string {
  if (theirs) {
    return "Keep mine";
  }
  return study ? "Save" : "Begin the study";
}

const SAID: Record<keyof Facts, (facts: Facts) => string> = {
  name: ({ name }) => `The name is “${name}”`,
  hazard: ({ hazard }) => `The hazard is ${HAZARD_NAMES[hazard]}`,
  eventAt: ({ eventAt }) =>
    eventAt ? `The event is of ${utc(eventAt)}` : "There is no date of the event",
  studyArea: ({ studyArea }) => (studyArea ? "Another study area is set" : "No study area is set"),
};

const utc = (moment: string): string =>
  `${new Date(moment).toISOString().slice(0, 16).replace("T", " ")} UTC`;

/** What somebody else has changed since the form was opened. */
function Elsewhere({ seen, theirs }: { seen: Study; theirs: Study }) {
  return (
    <div className="mb-3">
      <Warning>
        <p>This study was changed on another page meanwhile.</p>
        <ul className="mb-1 list-disc pl-5">
          {differing(seen, theirs).map((fact) => (
            <li key={fact}>{SAID[fact](theirs)}.</li>
          ))}
        </ul>
        <p>“Keep mine” changes it to what stands in this form.</p>
      </Warning>
    </div>
  );
}

function Fields({ form }: { form: UseFormReturn<Form> }) {
  const { errors } = form.formState;
  const hazard = useWatch({ control: form.control, name: "hazard" });
  return (
    <>
      <Labelled label="Name" error={errors.name?.message}>
        {(id) => <input id={id} className={inputStyle} {...form.register("name")} />}
      </Labelled>
      <Labelled label="Hazard">
        {(id) => (
          <Pick
            id={id}
            label="Hazard"
            value={hazard}
            onChange={(value) => form.setValue("hazard", value)}
            options={HAZARDS.map((value) => ({ value, name: HAZARD_NAMES[value] }))}
          />
        )}
      </Labelled>
      <div className="grid grid-cols-2 gap-3">
        <Labelled label="Event date" error={errors.date?.message} hint="May be left open">
          {(id) => <input id={id} type="date" className={inputStyle} {...form.register("date")} />}
        </Labelled>
        <Labelled label="Time, UTC">
          {(id) => <input id={id} type="time" className={inputStyle} {...form.register("time")} />}
        </Labelled>
      </div>
    </>
  );
}
