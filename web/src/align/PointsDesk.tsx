import { useRef, useState } from "react";
import { Download, Trash2, Undo2, Upload } from "lucide-react";
import type { ControlPoint, PointsPlace } from "@hindglance/core/align/alignment";
import { type PointModel, worstPoint } from "@hindglance/core/align/points";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import type { Crs } from "@hindglance/core/geodesy/crs";
import { saveText } from "../lib/save";
import { number } from "../lib/format";
import { useUi } from "../state/ui";
import { Button, Pick, Row, Warning, cx } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { fitOf, metresPerUnit, nextName } from "./figures";
import { PointFileError, pointsToCsv, pointsToGeoJson, readPoints } from "./pointFiles";

const MODELS: { value: PointModel; name: string; note: string }[] = [
  { value: "similarity", name: "Similarity", note: "turn, scale, shift; 2 points" },
  { value: "polynomial1", name: "Polynomial, order 1", note: "affine; 3 points" },
  { value: "polynomial2", name: "Polynomial, order 2", note: "6 points" },
  { value: "polynomial3", name: "Polynomial, order 3", note: "10 points" },
  { value: "spline", name: "Thin plate spline", note: "bends through every point" },
];
const KERNELS = [
  { value: "nearest" as const, name: "Nearest", note: "for classes" },
  { value: "bilinear" as const, name: "Bilinear" },
  { value: "cubic" as const, name: "Cubic" },
];

/**
 * Control points: the transform, each point with its residual, the fit as a whole; in and out as
 * files.
 */
export function PointsDesk({
  place,
  picture,
  crs,
  cellM,
  picked,
  onPick,
  onChange,
  onUndo,
}: {
  place: PointsPlace;
  picture: boolean;
  crs: Crs;
  cellM: number;
  picked: string | null;
  onPick(id: string | null): void;
  onChange(eachPlace: PointsPlace): void;
  onUndo: (() => void) | null;
}) {
  const found = fitOf(place, picture);
  const file = useRef<HTMLInputElement>(null);
  const [typed, setTyped] = useState<string | null>(null);
  const { points } = place;
  const set = (part: Partial<PointsPlace>) => onChange({ ...place, ...part });
  const change = (id: string, part: Partial<ControlPoint>) =>
    set({ points: points.map((point) => (point.id === id ? { ...point, ...part } : point)) });
  const fit = "fit" in found ? found.fit : null;
  const used = "fit" in found ? found.used : [];
  const mid = used[0]?.to ?? [0, 0];
  const metres = fit ? metresPerUnit(fit, mid) : NaN;
  const w = fit ? worstPoint(fit) : -1;
  const worst = w >= 0 ? used[w]! : null;
  // Of a date with a position the scene's unit is a metre; of a picture it is one of its cells.
  const unitCell = picture ? 1 : cellM;
  const size = (value: [number, number] | null | undefined): number | null =>
    value ? Math.hypot(...value) / unitCell : null;
  const both = (cells: number | null): string =>
    cells === null
      ? "–"
      : `${number(cells, 2)} cells · ${number(cells * unitCell * (picture ? metres : 1), 1)} m`;
  const out = (form: "csv" | "geojson") =>
    saveText(
      form === "csv" ? "control-points.csv" : "control-points.geojson",
      form === "csv"
        ? pointsToCsv(points)
        : pointsToGeoJson(points, (at) => transformer(crs, LONLAT)(...at)),
      form === "csv" ? "text/csv" : "application/geo+json",
    );
  const take = async (chosen: File | undefined) => {
    if (!chosen) {
      return;
    }
    try {
      const read = readPoints(await chosen.text(), chosen.name, (point) =>
        transformer(LONLAT, crs)(...point),
      );
      // What is opened takes the place of what was there: opening a file twice changes nothing.
      set({ points: read.map((part) => ({ ...part, id: crypto.randomUUID() })) });
      const gone = points.length
        ? ` They replace the ${points.length} that were there; undo brings those back.`
        : "";
      useUi
        .getState()
        .say(
          `${read.length} ${read.length === 1 ? "point was" : "points were"} taken from ${chosen.name}.${gone}`,
        );
    } catch (error) {
      useUi
        .getState()
        .say(
          error instanceof PointFileError ? error.message : `${chosen.name} cannot be read`,
          "wrong",
        );
    }
  };
  return (
    <>
      <Row label="Transform">
        <span className="w-[190px]">
          <Pick
            label="Transform"
            value={place.model}
            onChange={(model) => set({ model })}
            options={MODELS}
          />
        </span>
      </Row>
      {place.model === "spline" && (
        <Row label={<span title="0 goes through every point; more bends less">Smoothing</span>}>
          <NumberField
            label="Smoothing"
            value={place.smoothing}
            min={0}
            max={10}
            step={0.05}
            decimals={2}
            onCommit={(smoothing) => set({ smoothing })}
          />
        </Row>
      )}
      <Row label="Resampling">
        <span className="w-[190px]">
          <Pick
            label="Resampling"
            value={place.kernel}
            onChange={(kernel) => set({ kernel })}
            options={KERNELS}
          />
        </span>
      </Row>
      {"problem" in found ? (
        <p className="mb-2 text-soft">{found.problem}. Click the same place in both pictures.</p>
      ) : (
        <dl className="mb-2 grid grid-cols-[1fr_auto] gap-y-1">
          <dt>RMSE</dt>
          <dd className="font-mono text-[12px]">
            {both(fit!.rmse === null ? null : fit!.rmse / unitCell)}
          </dd>
          <dt title="Each point against the fit of all others">Left out one by one</dt>
          <dd className="font-mono text-[12px]">
            {both(fit!.rmseLeftOut === null ? null : fit!.rmseLeftOut / unitCell)}
          </dd>
        </dl>
      )}
      {fit && fit.rmse === null && place.model !== "spline" && (
        <p className="mb-2 text-label text-soft">
          There are exactly as many points as the transform needs: nothing tells how good they are.
        </p>
      )}
      {worst && (
        <div className="mb-2">
          <Warning>
            Point {worst.name} spoils the fit: without it the others agree far better.{" "}
            <button
              type="button"
              className="font-semibold underline"
              onClick={() => change(worst.id, { on: false })}
            >
              Switch it off
            </button>
          </Warning>
        </div>
      )}
      <div className="mb-1 flex items-center justify-between">
        <span className="text-label text-soft">
          {points.length} {points.length === 1 ? "point" : "points"}
        </span>
        <span className="flex">
          <Button
            tone="quiet"
            className="h-6 px-1.5"
            aria-label="Undo"
            title="Undo"
            disabled={!onUndo}
            onClick={() => onUndo?.()}
          >
            <Undo2 size={14} aria-hidden />
          </Button>
          <Button
            tone="quiet"
            className="h-6 px-1.5"
            title="Read points from CSV or GeoJSON"
            onClick={() => file.current?.click()}
          >
            <Upload size={14} aria-hidden />
            Open
          </Button>
          <Button
            tone="quiet"
            className="h-6 px-1.5"
            disabled={!points.length}
            onClick={() => out("csv")}
          >
            <Download size={14} aria-hidden />
            CSV
          </Button>
          <Button
            tone="quiet"
            className="h-6 px-1.5"
            disabled={!points.length}
            onClick={() => out("geojson")}
          >
            GeoJSON
          </Button>
          <input
            ref={file}
            type="file"
            accept=".csv,.json,.geojson,text/csv"
            aria-label="File of control points"
            className="hidden"
            onChange={(e) => {
              void take(e.target.files?.[0]);
              e.target.value = "";
            }}
          />
        </span>
      </div>
      <ul aria-label="Control points" className="space-y-1">
        {points.map((point) => {
          const k = used.indexOf(point);
          const off = size(fit && k >= 0 ? fit.residuals[k] : null);
          const left = size(fit && k >= 0 ? fit.leftOut[k] : null);
          return (
            <li
              key={point.id}
              className={cx(
                "rounded-field border px-2 py-1",
                point.id === picked ? "border-spruce bg-white" : "border-line",
              )}
            >
              <div className="flex items-center gap-2">
                <input
                  type="checkbox"
                  aria-label={`Use point ${point.name}`}
                  checked={point.on}
                  onChange={() => change(point.id, { on: !point.on })}
                />
                <button
                  type="button"
                  aria-expanded={typed === point.id}
                  className={cx(
                    "min-w-0 flex-1 truncate text-left font-medium",
                    point.id === worst?.id && "text-wrong",
                  )}
                  title="Show its coordinates"
                  onClick={() => {
                    onPick(point.id);
                    setTyped(typed === point.id ? null : point.id);
                  }}
                >
                  {point.name}
                </button>
                <span
                  className="font-mono text-[12px]"
                  title="Residual, cells; in brackets with this point left out"
                >
                  {off === null ? "–" : number(off, 2)}
                  {left === null ? "" : ` (${number(left, 2)})`}
                </span>
                <button
                  type="button"
                  aria-label={`Delete point ${point.name}`}
                  className="text-soft hover:text-wrong"
                  onClick={() => set({ points: points.filter((x) => x.id !== point.id) })}
                >
                  <Trash2 size={13} aria-hidden />
                </button>
              </div>
              {typed === point.id && (
                <div className="mt-1 grid grid-cols-[auto_1fr_1fr] items-center gap-x-2 gap-y-1 text-label text-soft">
                  <span>{picture ? "column, row" : "date E, N"}</span>
                  {([0, 1] as const).map((i) => (
                    <NumberField
                      key={i}
                      label={`${picture ? ["Column", "Row"][i] : ["Date easting", "Date northing"][i]} of ${point.name}`}
                      decimals={2}
                      step={0.5}
                      value={point.from[i]}
                      onCommit={(value) =>
                        change(point.id, {
                          from: i ? [point.from[0], value] : [value, point.from[1]],
                        })
                      }
                    />
                  ))}
                  <span>map E, N</span>
                  {([0, 1] as const).map((i) => (
                    <NumberField
                      key={i}
                      label={`${["Easting", "Northing"][i]} of ${point.name}`}
                      decimals={2}
                      step={1}
                      value={point.to[i]}
                      onCommit={(value) =>
                        change(point.id, { to: i ? [point.to[0], value] : [value, point.to[1]] })
                      }
                    />
                  ))}
                </div>
              )}
            </li>
          );
        })}
      </ul>
      {points.length > 0 && (
        <p className="mt-1 text-label text-soft">
          Residuals in cells; in brackets with that point left out.
        </p>
      )}
      <Button
        tone="quiet"
        className="mt-1 h-7 px-2"
        onClick={() => {
          const id = crypto.randomUUID();
          set({
            points: [
              ...points,
              { id, name: nextName(points), from: [0, 0], to: [0, 0], on: false },
            ],
          });
          setTyped(id);
        }}
      >
        Type coordinates …
      </Button>
    </>
  );
}
