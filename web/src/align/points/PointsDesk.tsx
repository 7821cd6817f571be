import { uuid } from "../../lib/uuid";
import { useState } from "react";
import type { ControlPoint, PointsPlace } from "@hindglance/core/align/alignment";
import type { PointModel } from "@hindglance/core/align/points";
import type { GroundPoint } from "@hindglance/core/align/groundPoint";
import { type Crs, LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { number } from "../../lib/format";
import { Button } from "../../ui/Button";
import { Row } from "../../ui/Labelled";
import { Pick } from "../../ui/Pick";
import { NumberField } from "../../ui/NumberField";
import { nextName } from "../figures";
import { FitFigures } from "./FitFigures";
import { PointRow } from "./PointRow";
import { PointTools } from "./PointTools";
import { residualsOf } from "./residuals";

const MODELS: { value: PointModel; name: string; note: string }[] = [
  { value: "similarity", name: "Similarity", note: "turn, scale, shift; 2 points" },
  { value: "polynomial1", name: "Polynomial, order 1", note: "affine; 3 points" },
  { value: "polynomial2", name: "Polynomial, order 2", note: "6 points" },
  { value: "polynomial3", name: "Polynomial, order 3", note: "10 points" },
  { value: "spline", name: "Thin plate spline", note: "bends through every point" },
];
const KERNELS: { value: PointsPlace["kernel"]; name: string; note?: string }[] = [
  { value: "nearest", name: "Nearest", note: "for classes" },
  { value: "bilinear", name: "Bilinear" },
  { value: "cubic", name: "Cubic" },
];

interface Props {
  place: PointsPlace;
  /** Whether the date is a picture without position. */
  picture: boolean;
  /** Coordinate system of the reference. */
  crs: Crs;
  /** Metres of a cell of the date. */
  cellM: number;
  picked: string | null;
  /** Places that the file of the date tells itself. */
  ofFile: readonly GroundPoint[];
  onPick(id: string | null): void;
  onChange(place: PointsPlace): void;
}

/** Places of a file as control points on a map. */
function pointsFrom(ofFile: readonly GroundPoint[], crs: Crs): ControlPoint[] {
  const onto = transformer(LONLAT, crs);
  return ofFile.map(({ from, to }, k) => ({
    id: uuid(),
    name: `F${k + 1}`,
    from,
    to: onto(...to),
    on: true,
  }));
}

/**
 * Control points: the transform, each point with its residual, the fit as a whole; in and out as
 * files.
 */
export function PointsDesk({ place, picture, crs, cellM, picked, ofFile, ...on }: Props) {
  const { onPick, onChange } = on;
  const [typed, setTyped] = useState<string | null>(null);
  const { points } = place;
  const found = residualsOf(place, picture, cellM);
  const set = (part: Partial<PointsPlace>) => onChange({ ...place, ...part });
  const change = (id: string, part: Partial<ControlPoint>) =>
    set({ points: points.map((point) => (point.id === id ? { ...point, ...part } : point)) });
  const add = () => {
    const id = uuid();
    const point = { id, name: nextName(points), on: false };
    set({ points: [...points, { ...point, from: [0, 0], to: [0, 0] }] });
    setTyped(id);
  };
  return (
    <>
      <Transform place={place} set={set} />
      <FitFigures
        found={found}
        model={place.model}
        onSwitchOff={(id) => change(id, { on: false })}
      />
      {points.length === 0 && ofFile.length > 0 && (
        <div className="mb-1 flex items-center justify-between">
          <span>The file has {number(ofFile.length)} control points.</span>
          <Button className="h-7" onClick={() => set({ points: pointsFrom(ofFile, crs) })}>
            Take them
          </Button>
        </div>
      )}
      <PointTools points={points} crs={crs} onPoints={(read) => set({ points: read })} />
      <ul aria-label="Control points" className="space-y-1">
        {points.map((point) => (
          <PointRow
            key={point.id}
            point={point}
            picture={picture}
            residual={found.byPoint.get(point.id) ?? null}
            isPicked={point.id === picked}
            isWorst={point.id === found.worst?.id}
            isOpen={typed === point.id}
            onOpen={() => {
              onPick(point.id);
              setTyped(typed === point.id ? null : point.id);
            }}
            change={(part) => change(point.id, part)}
            remove={() => set({ points: points.filter(({ id }) => id !== point.id) })}
          />
        ))}
      </ul>
      {points.length > 0 && (
        <p className="mt-1 text-label text-soft">
          Residuals in cells; in brackets with that point left out.
        </p>
      )}
      <Button tone="quiet" className="mt-1 h-7 px-2" onClick={add}>
        Type coordinates …
      </Button>
    </>
  );
}

interface TransformProps {
  place: PointsPlace;
  set(part: Partial<PointsPlace>): void;
}

/** How the date is bent onto the points, and how its cells are taken. */
function Transform({ place, set }: TransformProps) {
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
    </>
  );
}
