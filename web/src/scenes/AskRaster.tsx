import { hasDate } from "@hindglance/core/scene/kinds";
import { POLARISATIONS } from "@hindglance/contract/archive";
import { useForm, useWatch } from "react-hook-form";
import type { UploadDetail } from "../api/types";
import { parseNumber } from "../lib/parseNumber";
import { Labelled, inputStyle } from "../ui/Labelled";
import { Pick } from "../ui/Pick";
import type { Question } from "./Ask";
import { type Said, importScene } from "./uploads";
import { VERTICALS } from "./vertical";

const KINDS: { value: Said["kind"]; name: string }[] = [
  { value: "radar", name: "Radar, calibrated" },
  { value: "elevation", name: "Elevation" },
  { value: "classes", name: "Classified raster" },
  { value: "population", name: "Population, people a cell" },
  { value: "other", name: "Something else" },
];
const UNITS = [
  { value: "power", name: "linear power" },
  { value: "dB", name: "decibels" },
] as const;

/** The one of the options that was chosen; undefined while none was. */
const chosen = <T extends string>(options: readonly T[], value: string): T | undefined =>
  options.find((option) => option === value);

interface Answers {
  kind: string;
  date: string;
  time: string;
  polarisations: string[];
  unit: string;
  epsg: string;
  scale: string;
  offset: string;
  fill: string;
  vertical: string;
  rounded: boolean;
}

const startOf = (detail: UploadDetail): Answers => ({
  kind: detail.kind ?? "",
  date: detail.acquiredAt?.slice(0, 10) ?? "",
  time: detail.acquiredAt?.slice(11, 16) ?? "",
  polarisations: (detail.bands ?? []).map((band) => band.polarisation ?? ""),
  unit: detail.bands?.[0]?.role === "decibel" ? "dB" : "power",
  epsg: "",
  scale: "0.0001",
  offset: "0",
  fill: detail.nodata ?? "-3000",
  vertical: detail.bands?.[0]?.vertical ?? "",
  rounded: false,
});

const asksFor = (detail: UploadDetail, what: string): boolean =>
  detail.missing?.includes(what) ?? false;
const asksScale = (detail: UploadDetail, { kind }: Answers): boolean =>
  asksFor(detail, "rescale") && kind === "other";

/** Labels of classes are whole numbers that fit, or are refused. */
const asksRounding = (detail: UploadDetail, { kind }: Answers): boolean =>
  asksFor(detail, "rounding") && kind !== "classes";

/** Scale, offset and fill as numbers; null where one of them is none. */
function rescaleOf({ scale, offset, fill }: Answers): Said["rescale"] {
  const by = parseNumber(scale);
  const plus = offset.trim() === "" ? 0 : parseNumber(offset);
  const nothing = fill.trim() === "" ? null : parseNumber(fill);
  const isWrongFill = nothing === null && fill.trim() !== "";
  return by && plus !== null && !isWrongFill ? { scale: by, offset: plus, fill: nothing } : null;
}

function isAnswered(detail: UploadDetail, answers: Answers): boolean {
  const { kind, vertical, date, polarisations, epsg } = answers;
  return (
    !!kind &&
    (kind === "elevation" ? !!vertical : !!date || !hasDate(kind)) &&
    (kind !== "radar" || polarisations.every(Boolean)) &&
    (!asksFor(detail, "crs") || /^\d{4,6}$/.test(epsg.trim())) &&
    (!asksScale(detail, answers) || rescaleOf(answers) !== null) &&
    (!asksRounding(detail, answers) || answers.rounded)
  );
}

function saidOf(detail: UploadDetail, answers: Answers): Said {
  const { date, time, polarisations, epsg } = answers;
  const kind = chosen(
    KINDS.map(({ value }) => value),
    answers.kind,
  )!;
  const unit = chosen(
    UNITS.map(({ value }) => value),
    answers.unit,
  );
  const vertical = chosen(
    VERTICALS.map(({ value }) => value),
    answers.vertical,
  );
  const bandOf = (name: string) => ({ polarisation: chosen(POLARISATIONS, name) ?? null, unit });
  return {
    kind,
    acquiredAt: date ? `${date}T${time || "00:00"}:00Z` : null,
    ...(asksFor(detail, "crs") ? { epsg: Number(epsg) } : {}),
    ...(asksRounding(detail, answers) ? { rounded: true } : {}),
    ...(asksScale(detail, answers) ? { rescale: rescaleOf(answers) } : {}),
    ...(kind === "radar" ? { bands: polarisations.map(bandOf) } : {}),
    ...(kind === "elevation" ? { vertical: vertical === "unknown" ? null : vertical } : {}),
  };
}

/** Asks for what an image file does not say: what it is, when it was taken, where, in which unit. */
export function AskRaster({ studyId, upload, detail, onAnswer, buttons }: Question) {
  const form = useForm<Answers>({ defaultValues: startOf(detail) });
  const answers = useWatch({ control: form.control, compute: (value) => value });
  const { kind } = answers;
  const text = (name: "epsg" | "scale" | "offset" | "fill" | "date" | "time", more: object = {}) =>
    function Field(id: string) {
      return <input id={id} className={inputStyle} {...more} {...form.register(name)} />;
    };
  const pick = (
    name: "kind" | "vertical" | "unit",
    label: string,
    options: readonly { value: string; name: string }[],
  ) =>
    function Field(id: string) {
      return (
        <Pick
          id={id}
          label={label}
          value={answers[name]}
          onChange={(value: string) => form.setValue(name, value)}
          options={[...options]}
        />
      );
    };
  const submit = form.handleSubmit(() =>
    onAnswer(() => importScene(studyId, upload.id, saidOf(detail, answers))),
  );
  return (
    <form onSubmit={(event) => void submit(event)}>
      <Labelled label="What is it?">{pick("kind", "Kind", KINDS)}</Labelled>
      {hasDate(kind) && (
        <div className="grid grid-cols-2 gap-2">
          <Labelled label="Taken on">{text("date", { type: "date" })}</Labelled>
          <Labelled label="Time, UTC">{text("time", { type: "time" })}</Labelled>
        </div>
      )}
      {asksFor(detail, "position") && (
        <p className="mb-2 text-soft">
          {detail.noPosition}. It is kept as a picture: it can be looked at, and{" "}
          {detail.groundPoints ? "its" : ""} control points give it a position later.
        </p>
      )}
      {asksFor(detail, "crs") && (
        <Labelled
          label="Coordinate system, EPSG code"
          hint={`${detail.noPosition}. Give the system that its coordinates are in.`}
        >
          {text("epsg", { inputMode: "numeric", placeholder: "32727" })}
        </Labelled>
      )}
      {asksScale(detail, answers) && <ScaleQuestions text={text} />}
      {detail.rounding && asksRounding(detail, answers) && (
        <RoundingQuestion rounding={detail.rounding} field={form.register("rounded")} />
      )}
      {kind === "elevation" && (
        <Labelled
          label="Its heights are counted from"
          hint="Radar geometry needs heights above the ellipsoid; those above sea level are brought there."
        >
          {pick("vertical", "Heights are counted from", VERTICALS)}
        </Labelled>
      )}
      {kind === "radar" && (
        <RadarQuestions
          names={(detail.bands ?? []).map((band) => band.name)}
          polarisations={answers.polarisations}
          onPolarisation={(i, value) => form.setValue(`polarisations.${i}`, value)}
          unit={pick("unit", "Numbers", UNITS)}
        />
      )}
      {buttons(isAnswered(detail, answers))}
    </form>
  );
}

/** Whether numbers may lose the digits that 32 bits do not hold. */
const RoundingQuestion = ({
  rounding: { value, becomes },
  field,
}: {
  rounding: NonNullable<UploadDetail["rounding"]>;
  field: object;
}) => (
  <label className="mb-2 flex items-start gap-2">
    <input type="checkbox" className="mt-0.5" {...field} />
    <span>
      Keep its numbers rounded to seven digits
      <span className="block text-label text-soft">
        Such as {String(value)} to {String(becomes)}. Cells are kept as 32-bit floats.
      </span>
    </span>
  </label>
);

/** How whole numbers stand for real ones. */
function ScaleQuestions({
  text,
}: {
  text(name: "scale" | "offset" | "fill", more: object): (id: string) => React.ReactNode;
}) {
  const decimal = { inputMode: "decimal" };
  return (
    <div className="grid grid-cols-3 gap-2">
      <Labelled label="Scale" hint="Whole numbers stand for real ones.">
        {text("scale", decimal)}
      </Labelled>
      <Labelled label="Offset">{text("offset", decimal)}</Labelled>
      <Labelled label="Fill">{text("fill", decimal)}</Labelled>
    </div>
  );
}

function RadarQuestions({
  names,
  polarisations,
  onPolarisation,
  unit,
}: {
  names: string[];
  polarisations: string[];
  onPolarisation(i: number, value: string): void;
  unit: (id: string) => React.ReactNode;
}) {
  return (
    <>
      {names.map((name, i) => (
        <Labelled key={i} label={`Polarisation of ${name}`}>
          {(id) => (
            <Pick
              id={id}
              label={`Polarisation of ${name}`}
              value={polarisations[i] ?? ""}
              onChange={(value: string) => onPolarisation(i, value)}
              options={POLARISATIONS.map((one) => ({ value: one, name: one }))}
            />
          )}
        </Labelled>
      ))}
      <Labelled label="Its numbers are" hint="Change can only be measured on linear power.">
        {unit}
      </Labelled>
    </>
  );
}
