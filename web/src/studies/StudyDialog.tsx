import { useState } from "react";
import { type UseFormReturn, useForm, useWatch } from "react-hook-form";
import { yupResolver } from "@hookform/resolvers/yup";
import { useQueryClient } from "@tanstack/react-query";
import * as yup from "yup";
import { HAZARDS, type Hazard, studyRoutes } from "@hindglance/contract/studies";
import { call } from "../api/call";
import { ApiError, sayError } from "../api/client";
import { keys } from "../api/hooks";
import type { Study } from "../api/types";
import { Button } from "../ui/Button";
import { Labelled, inputStyle } from "../ui/Labelled";
import { Problem } from "../ui/Messages";
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

/** Begins a study or changes it. @throws ApiError */
function useSave(study: Study | undefined) {
  const queryClient = useQueryClient();
  return async ({ name, hazard, date, time }: Form, area: NamedArea | null): Promise<Study> => {
    const eventAt = date ? `${date}T${time || "00:00"}:00Z` : null;
    const body = { name, hazard, eventAt, studyArea: area?.geometry ?? null };
    const saved = study
      ? await call(studyRoutes.update, { params: { id: study.id }, body })
      : await call(studyRoutes.create, { body });
    await queryClient.invalidateQueries({ queryKey: keys.studies });
    queryClient.setQueryData(keys.study(saved.id), saved);
    return saved;
  };
}

/** Fields of the form by what the server calls them. */
const FIELD_OF: Record<string, keyof Form> = { name: "name", eventAt: "date" };

function StudyForm({ study, onDone }: { study?: Study; onDone(study: Study): void }) {
  const form = useForm<Form>({ resolver: yupResolver(schema), defaultValues: startOf(study) });
  const [area, setArea] = useState(areaOf(study));
  const [problem, setProblem] = useState<string | null>(null);
  const save = useSave(study);
  const submit = form.handleSubmit(async (said) => {
    try {
      onDone(await save(said, area));
    } catch (error) {
      const field = error instanceof ApiError ? FIELD_OF[error.field ?? ""] : undefined;
      if (field) {
        form.setError(field, { message: sayError(error) });
      } else {
        setProblem(sayError(error));
      }
    }
  });
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
      <div className="flex justify-end">
        <Button type="submit" tone="act" disabled={form.formState.isSubmitting}>
          {study ? "Save" : "Begin the study"}
        </Button>
      </div>
    </form>
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
