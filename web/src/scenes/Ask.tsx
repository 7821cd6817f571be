import { useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { api, sayError } from "../api/client";
import { keys } from "../api/hooks";
import type { Upload } from "../api/types";
import { number } from "../lib/format";
import { Button, Labelled, Pick, Problem, inputStyle } from "../ui/controls";
import { importUpload } from "./uploads";
import { VERTICALS } from "./vertical";

const KINDS = [
  ["radar", "Radar, calibrated"],
  ["elevation", "Elevation"],
  ["classes", "Classified raster"],
  ["other", "Something else"],
] as const;
const POLARISATIONS = ["VV", "VH", "HH", "HV"] as const;

/** Asks for what a file does not say, and imports it then. */
export function Ask({ studyId, upload }: { studyId: string; upload: Upload }) {
  const queryClient = useQueryClient();
  const detail = upload.detail;
  const [kind, setKind] = useState<string>(detail.kind ?? "");
  const [date, setDate] = useState(detail.acquiredAt?.slice(0, 10) ?? "");
  const [time, setTime] = useState(detail.acquiredAt?.slice(11, 16) ?? "");
  const [pols, setPols] = useState<string[]>(
    detail.bands?.map((band) => band.polarisation ?? "") ?? [],
  );
  const [field, setField] = useState(detail.nameField ?? "");
  const [unit, setUnit] = useState<"power" | "dB">(
    detail.bands?.[0]?.role === "decibel" ? "dB" : "power",
  );
  const [problem, setProblem] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const [cell, setCell] = useState("");
  const [bring, setBring] = useState("leave");
  const [epsg, setEpsg] = useState("");
  const [scale, setScale] = useState("0.0001");
  const [offset, setOffset] = useState("0");
  const [fill, setFill] = useState(detail.nodata ?? "-3000");
  const [vertical, setVertical] = useState<string>(detail.bands?.[0]?.vertical ?? "");
  const asksCrs = detail.missing?.includes("crs") ?? false;
  const asksScale = (detail.missing?.includes("rescale") ?? false) && kind === "other";
  const isNumber = (t: string) => t.trim() !== "" && Number.isFinite(Number(t));
  const other =
    detail.groups
      ?.filter((group) => String(group.cellM) !== cell)
      .flatMap((group) => group.bands)
      .filter(
        (b) => !detail.groups?.find((group) => String(group.cellM) === cell)?.bands.includes(b),
      ) ?? [];
  const refresh = () => {
    for (const key of [
      keys.scenes(studyId),
      keys.uploads(studyId),
      keys.zones(studyId),
      keys.runs,
    ]) {
      void queryClient.invalidateQueries({ queryKey: key });
    }
  };
  const go = async () => {
    setBusy(true);
    setProblem(null);
    try {
      await importUpload(
        studyId,
        upload,
        detail.form === "zones"
          ? { nameField: field }
          : detail.form === "stack"
            ? { cellM: Number(cell), bring: bring === "bring" }
            : {
                kind,
                ...(asksCrs ? { epsg: Number(epsg) } : {}),
                ...(asksScale
                  ? {
                      rescale: {
                        scale: Number(scale),
                        offset: Number(offset || 0),
                        fill: fill.trim() === "" ? null : Number(fill),
                      },
                    }
                  : {}),
                acquiredAt: date ? `${date}T${time || "00:00"}:00Z` : null,
                ...(kind === "radar"
                  ? { bands: pols.map((pol) => ({ ...(pol ? { polarisation: pol } : {}), unit })) }
                  : {}),
                ...(kind === "elevation"
                  ? { vertical: vertical === "unknown" ? null : vertical }
                  : {}),
              },
      );
    } catch (error) {
      setProblem(sayError(error));
    }
    setBusy(false);
    refresh();
  };
  let ready: boolean;
  if (detail.form === "zones") {
    ready = !!field;
  } else if (detail.form === "stack") {
    ready = !!cell;
  } else {
    ready =
      !!kind &&
      (kind === "elevation" ? !!vertical : !!date) &&
      (kind !== "radar" || pols.every(Boolean)) &&
      (!asksCrs || /^\d{4,6}$/.test(epsg)) &&
      (!asksScale ||
        (isNumber(scale) && Number(scale) !== 0 && (fill.trim() === "" || isNumber(fill))));
  }
  return (
    <section
      aria-label={`Questions about ${upload.name}`}
      className="rounded-card border border-[#e5c57f] bg-warnbg p-3"
    >
      <h3 className="mb-2 [overflow-wrap:anywhere]">{upload.name} does not say everything</h3>
      {detail.form === "zones" ? (
        detail.nameFields.length ? (
          <Labelled label="Which property holds the name?">
            {(id) => (
              <Pick
                id={id}
                label="Name property"
                value={field}
                onChange={setField}
                options={detail.nameFields.map((eachField) => ({
                  value: eachField,
                  name: eachField,
                }))}
              />
            )}
          </Labelled>
        ) : (
          <p className="mb-2">
            Its {detail.zones} zones have no property in common that could be their name. Add one
            and send the file again.
          </p>
        )
      ) : detail.form === "stack" ? (
        <>
          <Labelled
            label="Its bands have different cells. Which are to be taken?"
            hint="Bands of different cells are never mixed in silence."
          >
            {(id) => (
              <Pick
                id={id}
                label="Cell size"
                value={cell}
                onChange={setCell}
                options={detail.groups!.map((group) => ({
                  value: String(group.cellM),
                  name: `${number(group.cellM, group.cellM < 1 ? 5 : 0)} m`,
                  note: group.bands.join(", "),
                }))}
              />
            )}
          </Labelled>
          {cell && other.length > 0 && (
            <Labelled
              label={`And ${[...new Set(other)].join(", ")}?`}
              hint="Coarser cells are repeated, finer ones averaged; what was brought is noted with the scene."
            >
              {(id) => (
                <Pick
                  id={id}
                  label="Other bands"
                  value={bring}
                  onChange={setBring}
                  options={[
                    { value: "leave", name: "Leave them out" },
                    {
                      value: "bring",
                      name: `Bring them to ${number(Number(cell), Number(cell) < 1 ? 5 : 0)} m`,
                    },
                  ]}
                />
              )}
            </Labelled>
          )}
        </>
      ) : (
        <>
          <Labelled label="What is it?">
            {(id) => (
              <Pick
                id={id}
                label="Kind"
                value={kind}
                onChange={setKind}
                options={KINDS.map(([value, name]) => ({ value, name }))}
              />
            )}
          </Labelled>
          {kind !== "elevation" && (
            <div className="grid grid-cols-2 gap-2">
              <Labelled label="Taken on">
                {(id) => (
                  <input
                    id={id}
                    type="date"
                    className={inputStyle}
                    value={date}
                    onChange={(e) => setDate(e.target.value)}
                  />
                )}
              </Labelled>
              <Labelled label="Time, UTC">
                {(id) => (
                  <input
                    id={id}
                    type="time"
                    className={inputStyle}
                    value={time}
                    onChange={(e) => setTime(e.target.value)}
                  />
                )}
              </Labelled>
            </div>
          )}
          {detail.missing?.includes("position") && (
            <p className="mb-2 text-soft">
              {detail.noPosition}. It is kept as a picture: it can be looked at, and control points
              give it a position later.
            </p>
          )}
          {asksCrs && (
            <Labelled
              label="Coordinate system, EPSG code"
              hint="Its transform is there, and nothing says in which system."
            >
              {(id) => (
                <input
                  id={id}
                  inputMode="numeric"
                  placeholder="32727"
                  className={inputStyle}
                  value={epsg}
                  onChange={(e) => setEpsg(e.target.value.trim())}
                />
              )}
            </Labelled>
          )}
          {asksScale && (
            <div className="grid grid-cols-3 gap-2">
              <Labelled label="Scale" hint="Whole numbers stand for real ones.">
                {(id) => (
                  <input
                    id={id}
                    inputMode="decimal"
                    className={inputStyle}
                    value={scale}
                    onChange={(e) => setScale(e.target.value)}
                  />
                )}
              </Labelled>
              <Labelled label="Offset">
                {(id) => (
                  <input
                    id={id}
                    inputMode="decimal"
                    className={inputStyle}
                    value={offset}
                    onChange={(e) => setOffset(e.target.value)}
                  />
                )}
              </Labelled>
              <Labelled label="Fill">
                {(id) => (
                  <input
                    id={id}
                    inputMode="decimal"
                    className={inputStyle}
                    value={fill}
                    onChange={(e) => setFill(e.target.value)}
                  />
                )}
              </Labelled>
            </div>
          )}
          {kind === "elevation" && (
            <Labelled
              label="Its heights are counted from"
              hint="Radar geometry needs heights above the ellipsoid; those above sea level are brought there."
            >
              {(id) => (
                <Pick
                  id={id}
                  label="Heights are counted from"
                  value={vertical}
                  onChange={setVertical}
                  options={VERTICALS}
                />
              )}
            </Labelled>
          )}
          {kind === "radar" &&
            detail.bands.map((band, i) => (
              <Labelled key={i} label={`Polarisation of ${band.name}`}>
                {(id) => (
                  <Pick
                    id={id}
                    label={`Polarisation of ${band.name}`}
                    value={pols[i] as "VV" | ""}
                    onChange={(value) => setPols(pols.map((pol, k) => (k === i ? value : pol)))}
                    options={POLARISATIONS.map((polarisation) => ({
                      value: polarisation,
                      name: polarisation,
                    }))}
                  />
                )}
              </Labelled>
            ))}
          {kind === "radar" && (
            <Labelled label="Its numbers are" hint="Change can only be measured on linear power.">
              {(id) => (
                <Pick
                  id={id}
                  label="Numbers"
                  value={unit}
                  onChange={(value) => setUnit(value)}
                  options={[
                    { value: "power", name: "linear power" },
                    { value: "dB", name: "decibels" },
                  ]}
                />
              )}
            </Labelled>
          )}
        </>
      )}
      {problem && (
        <div className="mb-2">
          <Problem>{problem}</Problem>
        </div>
      )}
      <div className="flex justify-end gap-2">
        <Button
          onClick={() =>
            void api("DELETE", `/uploads/${upload.id}`).then(refresh, (e) =>
              setProblem(sayError(e)),
            )
          }
        >
          Leave it out
        </Button>
        <Button tone="act" disabled={!ready || busy} onClick={() => void go()}>
          Import
        </Button>
      </div>
    </section>
  );
}
