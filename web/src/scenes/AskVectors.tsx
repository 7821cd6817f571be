import { useForm, useWatch } from "react-hook-form";
import { sceneRoutes } from "@hindglance/contract/scenes";
import type { FoundLayer } from "@hindglance/contract/upload";
import { call } from "../api/call";
import { number } from "../lib/format";
import { Labelled, inputStyle } from "../ui/Labelled";
import { Warning } from "../ui/Messages";
import { Pick } from "../ui/Pick";
import type { Question } from "./Ask";

type Use = "zones" | "area" | "overlay";

const USES: { value: Use; name: string; note: string }[] = [
  { value: "zones", name: "Zones", note: "areas are counted in each" },
  { value: "area", name: "The study area", note: "everything is counted inside" },
  { value: "overlay", name: "An overlay", note: "laid over every map, changes no number" },
];

/** No property at all is written beside the features. */
const NO_LABEL = "";
/** Properties as values of the list, which takes no empty ones. */
const asValue = (field: string): string => `=${field}`;

interface Answers {
  layer: number;
  use: Use;
  field: string;
  epsg: string;
  repair: boolean;
}

/** Only polygons have an area that can be counted in. */
const areAreas = ({ polygons, features, points, lines }: FoundLayer): boolean =>
  polygons === features && points + lines === 0;

const usesOf = (layer: FoundLayer) =>
  USES.filter(({ value }) => value === "overlay" || areAreas(layer));

/** What a layer is most likely for. */
function likelyUse(layer: FoundLayer): Use {
  if (!areAreas(layer)) {
    return "overlay";
  }
  // Without a name polygons can be no zones, and one alone parts nothing.
  return layer.nameField && layer.features > 1 ? "zones" : "area";
}

const startOf = (layer: FoundLayer, number: number): Answers => ({
  layer: number,
  use: likelyUse(layer),
  field: layer.nameField ?? NO_LABEL,
  epsg: "",
  repair: false,
});

const isAnswered = (layer: FoundLayer, { use, field, epsg, repair }: Answers): boolean =>
  !layer.refused &&
  (use !== "zones" || field !== NO_LABEL) &&
  (!layer.noSystem || /^\d{4,6}$/.test(epsg.trim())) &&
  (layer.faulty === 0 || repair);

/** Points, lines and polygons of a layer in words. */
function shapesSaid({ features, points, lines, polygons }: FoundLayer): string {
  const parts = [
    [points, "point"],
    [lines, "line"],
    [polygons, "polygon"],
  ] as const;
  const said = parts
    .filter(([count]) => count > 0)
    .map(([count, what]) => `${number(count)} ${what}${count === 1 ? "" : "s"}`);
  return said.join(", ") || `${number(features)} features without a place`;
}

/** What is wrong with geometries, the first ones in words. */
const Faults = ({ layer }: { layer: FoundLayer }) => (
  <div className="mb-2">
    <Warning>
      {layer.faults.map((fault) => (
        <span key={fault} className="block">
          {fault}.
        </span>
      ))}
      {layer.faulty > layer.faults.length &&
        `${number(layer.faulty)} of ${number(layer.features)} features have faults.`}
    </Warning>
  </div>
);

/** Imports features as they are meant. */
function importing({ studyId, upload }: Question, layer: FoundLayer, answers: Answers) {
  const { use, field, epsg, repair } = answers;
  const params = { id: studyId };
  const body = {
    uploadId: upload.id,
    layer: answers.layer,
    ...(layer.noSystem ? { epsg: Number(epsg) } : {}),
    ...(layer.faulty > 0 ? { repair } : {}),
  };
  switch (use) {
    case "area":
      return call(sceneRoutes.setStudyArea, { params, body });
    case "zones":
      return call(sceneRoutes.createZones, { params, body: { ...body, nameField: field } });
    default:
      return call(sceneRoutes.createOverlay, {
        params,
        body: { ...body, labelField: field === NO_LABEL ? null : field },
      });
  }
}

/**
 * Asks what the features of a file are for, and what the file does not say of them: which of its
 * layers, their system, their names, and whether faults are to be mended.
 */
export function AskVectors(question: Question) {
  const layers = question.detail.layers ?? [];
  const first = layers.findIndex(({ taken }) => !taken);
  const form = useForm<Answers>({ defaultValues: startOf(layers[first]!, first) });
  const answers = useWatch({ control: form.control, compute: (value) => value });
  const layer = layers[answers.layer]!;
  const submit = form.handleSubmit(() =>
    question.onAnswer(() => importing(question, layer, answers)),
  );
  return (
    <form onSubmit={(event) => void submit(event)}>
      {layers.length > 1 && (
        <Labelled label="Which layer?">
          {(id) => (
            <Pick
              id={id}
              label="Layer"
              value={String(answers.layer)}
              onChange={(value: string) =>
                form.reset(startOf(layers[Number(value)]!, Number(value)))
              }
              options={layers.flatMap((one, k) =>
                one.taken ? [] : [{ value: String(k), name: one.name, note: shapesSaid(one) }],
              )}
            />
          )}
        </Labelled>
      )}
      <p className="mb-2 text-soft">
        {shapesSaid(layer)}
        {layer.system ? `, ${layer.system}` : ""}
        {layer.withHeights > 0 ? "; heights are left out" : ""}
      </p>
      {layer.refused ? (
        <div className="mb-2">
          <Warning>{layer.refused}. This layer cannot be used.</Warning>
        </div>
      ) : (
        <Uses layer={layer} answers={answers} form={form} />
      )}
      {question.buttons(isAnswered(layer, answers))}
    </form>
  );
}

interface Fields {
  layer: FoundLayer;
  answers: Answers;
  form: ReturnType<typeof useForm<Answers>>;
}

/** What a layer is for, and what has to be said for it. */
function Uses({ layer, answers, form }: Fields) {
  const { use } = answers;
  return (
    <>
      <Labelled label="What are they?">
        {(id) => (
          <Pick
            id={id}
            label="What are they?"
            value={use}
            onChange={(value: Use) => form.setValue("use", value)}
            options={usesOf(layer)}
          />
        )}
      </Labelled>
      {layer.noSystem && (
        <Labelled
          label="Coordinate system, EPSG code"
          hint={`${layer.noSystem}. Give the system that its coordinates are in; 4326 is longitude and latitude.`}
        >
          {(id) => (
            <input
              id={id}
              className={inputStyle}
              inputMode="numeric"
              placeholder="32727"
              {...form.register("epsg")}
            />
          )}
        </Labelled>
      )}
      {use !== "area" && <NameField layer={layer} answers={answers} form={form} />}
      {layer.faulty > 0 && (
        <>
          <Faults layer={layer} />
          <label className="mb-2 flex items-start gap-2">
            <input type="checkbox" className="mt-0.5" {...form.register("repair")} />
            <span>
              Mend them
              <span className="block text-label text-soft">
                Rings are closed and cut where they cross; what has no area, and holes outside their
                shell, is left out.
              </span>
            </span>
          </label>
        </>
      )}
    </>
  );
}

/** Which property is the name of zones, or is written beside the features of an overlay. */
function NameField({ layer, answers: { use, field }, form }: Fields) {
  const isOverlay = use === "overlay";
  if (!isOverlay && layer.nameFields.length === 0) {
    return (
      <p className="mb-2">
        Its polygons have no property in common that could be their name. Add one and send the file
        again.
      </p>
    );
  }
  const names = layer.nameFields.map((name) => ({ value: asValue(name), name }));
  return (
    <Labelled label={isOverlay ? "Written beside them" : "Which property holds the name?"}>
      {(id) => (
        <Pick
          id={id}
          label={isOverlay ? "Label" : "Name property"}
          value={asValue(field)}
          onChange={(value: string) => form.setValue("field", value.slice(1))}
          options={isOverlay ? [{ value: asValue(NO_LABEL), name: "nothing" }, ...names] : names}
        />
      )}
    </Labelled>
  );
}
