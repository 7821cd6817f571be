import { sceneRoutes } from "@hindglance/contract/scenes";
import { call } from "../api/call";
import { useForm, useWatch } from "react-hook-form";
import { Labelled } from "../ui/Labelled";
import { Pick } from "../ui/Pick";
import type { Question } from "./Ask";

type Use = "zones" | "area";

/** Asks what polygons are for, and which of their properties is their name. */
export function AskZones({ studyId, upload, detail, onAnswer, buttons }: Question) {
  const names = detail.nameFields ?? [];
  // Without a name polygons can be no zones.
  const likely: Use = names.length > 0 ? "zones" : "area";
  const form = useForm<{ use: Use; field: string }>({
    defaultValues: { use: likely, field: detail.nameField ?? "" },
  });
  const { use, field } = useWatch({ control: form.control, compute: (value) => value });
  const submit = form.handleSubmit(() =>
    onAnswer(() =>
      use === "area"
        ? call(sceneRoutes.setStudyArea, { params: { id: studyId }, body: { uploadId: upload.id } })
        : call(sceneRoutes.createZones, {
            params: { id: studyId },
            body: { uploadId: upload.id, nameField: field },
          }),
    ),
  );
  return (
    <form onSubmit={(event) => void submit(event)}>
      <Labelled label="What are its polygons?">
        {(id) => (
          <Pick
            id={id}
            label="What its polygons are"
            value={use}
            onChange={(value: Use) => form.setValue("use", value)}
            options={[
              { value: "zones", name: "Zones", note: "areas are counted in each" },
              { value: "area", name: "The study area", note: "everything is counted inside" },
            ]}
          />
        )}
      </Labelled>
      {use === "zones" && names.length > 0 && (
        <Labelled label="Which property holds the name?">
          {(id) => (
            <Pick
              id={id}
              label="Name property"
              value={field}
              onChange={(value: string) => form.setValue("field", value)}
              options={names.map((name) => ({ value: name, name }))}
            />
          )}
        </Labelled>
      )}
      {use === "zones" && names.length === 0 && (
        <p className="mb-2">
          Its polygons have no property in common that could be their name. Add one and send the
          file again.
        </p>
      )}
      {buttons(use === "area" || !!field)}
    </form>
  );
}
