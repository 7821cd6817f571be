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
  const q = useQueryClient();
  const d = upload.detail;
  const [kind, setKind] = useState<string>(d.kind ?? "");
  const [date, setDate] = useState(d.acquiredAt?.slice(0, 10) ?? "");
  const [time, setTime] = useState(d.acquiredAt?.slice(11, 16) ?? "");
  const [pols, setPols] = useState<string[]>(d.bands?.map((b) => b.polarisation ?? "") ?? []);
  const [field, setField] = useState(d.nameField ?? "");
  const [unit, setUnit] = useState<"power" | "dB">(
    d.bands?.[0]?.role === "decibel" ? "dB" : "power",
  );
  const [problem, setProblem] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const [cell, setCell] = useState("");
  const [bring, setBring] = useState("leave");
  const [epsg, setEpsg] = useState("");
  const [scale, setScale] = useState("0.0001");
  const [offset, setOffset] = useState("0");
  const [fill, setFill] = useState(d.nodata ?? "-3000");
  const [vertical, setVertical] = useState<string>(d.bands?.[0]?.vertical ?? "");
  const asksCrs = d.missing?.includes("crs") ?? false;
  const asksScale = (d.missing?.includes("rescale") ?? false) && kind === "other";
  const isNumber = (t: string) => t.trim() !== "" && Number.isFinite(Number(t));
  const other =
    d.groups
      ?.filter((g) => String(g.cellM) !== cell)
      .flatMap((g) => g.bands)
      .filter((b) => !d.groups?.find((g) => String(g.cellM) === cell)?.bands.includes(b)) ?? [];
  const refresh = () => {
    for (const key of [
      keys.scenes(studyId),
      keys.uploads(studyId),
      keys.zones(studyId),
      keys.runs,
    ]) {
      void q.invalidateQueries({ queryKey: key });
    }
  };
  const go = async () => {
    setBusy(true);
    setProblem(null);
    try {
      await importUpload(
        studyId,
        upload,
        d.form === "zones"
          ? { nameField: field }
          : d.form === "stack"
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
                  ? { bands: pols.map((p) => ({ ...(p ? { polarisation: p } : {}), unit })) }
                  : {}),
                ...(kind === "elevation"
                  ? { vertical: vertical === "unknown" ? null : vertical }
                  : {}),
              },
      );
    } catch (e) {
      setProblem(sayError(e));
    }
    setBusy(false);
    refresh();
  };
  const ready =
    d.form === "zones"
      ? !!field
      : d.form === "stack"
        ? !!cell
        : !!kind &&
          (kind === "elevation" ? !!vertical : !!date) &&
          (kind !== "radar" || pols.every(Boolean)) &&
          (!asksCrs || /^\d{4,6}$/.test(epsg)) &&
          (!asksScale ||
            (isNumber(scale) && Number(scale) !== 0 && (fill.trim() === "" || isNumber(fill))));
  return (
    <section
      aria-label={`Questions about ${upload.name}`}
      className="rounded-card border border-[#e5c57f] bg-warnbg p-3"
    >
      <h3 className="mb-2 [overflow-wrap:anywhere]">{upload.name} does not say everything</h3>
      {d.form === "zones" ? (
        d.nameFields.length ? (
          <Labelled label="Which property holds the name?">
            {(id) => (
              <Pick
                id={id}
                label="Name property"
                value={field}
                onChange={setField}
                options={d.nameFields.map((f) => ({ value: f, name: f }))}
              />
            )}
          </Labelled>
        ) : (
          <p className="mb-2">
            Its {d.zones} zones have no property in common that could be their name. Add one and
            send the file again.
          </p>
        )
      ) : d.form === "stack" ? (
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
                options={d.groups!.map((g) => ({
                  value: String(g.cellM),
                  name: `${number(g.cellM, g.cellM < 1 ? 5 : 0)} m`,
                  note: g.bands.join(", "),
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
          {d.missing?.includes("position") && (
            <p className="mb-2 text-soft">
              {d.noPosition}. It is kept as a picture: it can be looked at, and control points give
              it a position later.
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
            d.bands.map((b, i) => (
              <Labelled key={i} label={`Polarisation of ${b.name}`}>
                {(id) => (
                  <Pick
                    id={id}
                    label={`Polarisation of ${b.name}`}
                    value={pols[i] as "VV" | ""}
                    onChange={(v) => setPols(pols.map((p, k) => (k === i ? v : p)))}
                    options={POLARISATIONS.map((p) => ({ value: p, name: p }))}
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
                  onChange={(v) => setUnit(v)}
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
