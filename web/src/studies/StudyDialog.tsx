import { HAZARDS, type Hazard, studyRoutes } from "@hindglance/contract/studies";
import { call } from "../api/call";
import { useRef, useState } from "react";
import { useForm } from "react-hook-form";
import { yupResolver } from "@hookform/resolvers/yup";
import { useQueryClient } from "@tanstack/react-query";
import * as yup from "yup";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { ApiError, sayError } from "../api/client";
import { keys } from "../api/hooks";
import type { Study } from "../api/types";
import { Button, Labelled, Pick, Problem, Sheet, inputStyle } from "../ui/controls";
import { messageOf } from "@hindglance/core/errors";

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

/** Reads a GeoJSON file into a study area. @throws Error with what is wrong and the file's name */
export async function areaFromFile(file: File): Promise<object> {
  let geometry: unknown;
  try {
    geometry = JSON.parse(await file.text());
  } catch {
    throw new Error(`${file.name} is not valid JSON. A GeoJSON file with a polygon is needed.`);
  }
  try {
    return { type: "MultiPolygon", coordinates: multiPolygonFrom(geometry) };
  } catch (error) {
    throw new Error(`${file.name}: ${messageOf(error)}`);
  }
}

/** Asks what a study is about; begins it or changes it. */
export function StudyDialog({
  open,
  onOpenChange,
  study,
  onDone,
}: {
  open: boolean;
  onOpenChange(isOpen: boolean): void;
  study?: Study;
  onDone(s: Study): void;
}) {
  return (
    <Sheet open={open} onOpenChange={onOpenChange} title={study ? "Study" : "New study"}>
      <StudyForm
        study={study}
        onDone={(s) => {
          onOpenChange(false);
          onDone(s);
        }}
      />
    </Sheet>
  );
}

function StudyForm({ study, onDone }: { study?: Study; onDone(s: Study): void }) {
  const queryClient = useQueryClient();
  const iso = study?.eventAt ? new Date(study.eventAt).toISOString() : null;
  const form = useForm<Form>({
    resolver: yupResolver(schema),
    defaultValues: {
      name: study?.name ?? "",
      hazard: study?.hazard ?? "flood",
      date: iso?.slice(0, 10) ?? "",
      time: iso?.slice(11, 16) ?? "",
    },
  });
  const [area, setArea] = useState<{ name: string; geometry: object } | null>(
    study?.studyArea ? { name: "The present study area", geometry: study.studyArea } : null,
  );
  const [problem, setProblem] = useState<string | null>(null);
  const file = useRef<HTMLInputElement>(null);
  const take = async (eachFile: File | undefined) => {
    if (!eachFile) {
      return;
    }
    try {
      setArea({ name: eachFile.name, geometry: await areaFromFile(eachFile) });
      setProblem(null);
    } catch (error) {
      setProblem(messageOf(error));
    }
  };
  const submit = form.handleSubmit(async (value) => {
    const body = {
      name: value.name,
      hazard: value.hazard,
      eventAt: value.date ? `${value.date}T${value.time || "00:00"}:00Z` : null,
      studyArea: area?.geometry ?? null,
    };
    try {
      const s = study
        ? await call(studyRoutes.update, { params: { id: study.id }, body })
        : await call(studyRoutes.create, { body });
      await queryClient.invalidateQueries({ queryKey: keys.studies });
      queryClient.setQueryData(keys.study(s.id), s);
      onDone(s);
    } catch (error) {
      if (error instanceof ApiError && (error.field === "name" || error.field === "eventAt")) {
        form.setError(error.field === "name" ? "name" : "date", { message: error.message });
      } else {
        setProblem(sayError(error));
      }
    }
  });
  const { errors, isSubmitting } = form.formState;
  return (
    <form onSubmit={(e) => void submit(e)} noValidate>
      <Labelled label="Name" error={errors.name?.message}>
        {(id) => <input id={id} className={inputStyle} {...form.register("name")} />}
      </Labelled>
      <Labelled label="Hazard">
        {(id) => (
          <Pick
            id={id}
            label="Hazard"
            value={form.watch("hazard")}
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
      <div
        className="mb-4"
        onDragOver={(e) => e.preventDefault()}
        onDrop={(e) => {
          e.preventDefault();
          void take(e.dataTransfer.files[0]);
        }}
      >
        <span className="mb-1 block font-medium">Study area</span>
        <div className="flex items-center justify-between gap-3 rounded-field border border-dashed border-[#b9b2a0] bg-white px-3 py-2.5">
          <span className="text-soft">
            {area ? area.name : "Drop a GeoJSON polygon here, or draw it later on the map."}
          </span>
          <span className="flex gap-1.5">
            {area && <Button onClick={() => setArea(null)}>Leave out</Button>}
            <Button onClick={() => file.current?.click()}>Choose file</Button>
          </span>
          <input
            ref={file}
            type="file"
            accept=".json,.geojson"
            hidden
            onChange={(e) => {
              void take(e.target.files?.[0]);
              e.target.value = "";
            }}
          />
        </div>
      </div>
      {problem && (
        <div className="mb-3">
          <Problem>{problem}</Problem>
        </div>
      )}
      <div className="flex justify-end">
        <Button type="submit" tone="act" disabled={isSubmitting}>
          {study ? "Save" : "Begin the study"}
        </Button>
      </div>
    </form>
  );
}
