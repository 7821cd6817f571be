import { useEffect, useMemo, useRef, useState } from "react";
import type OlMap from "ol/Map";
import View from "ol/View";
import type { ControlPoint } from "@hindglance/core/align/alignment";
import { pathFunction } from "@hindglance/core/align/mapping";
import { fitPoints } from "@hindglance/core/align/points";
import type { Study } from "../api/types";
import { number } from "../lib/format";
import { displayed } from "../map/displayed";
import { extentOf, viewOf } from "../map/layers";
import { MapPane } from "../map/MapPane";
import { type Mark, pinLayer } from "../map/pinLayer";
import { projectionOf } from "../map/projection";
import type { AlignRow } from "./align";
import { usePicture } from "./usePicture";

type Spot = [number, number];
interface Props {
  study: Study;
  date: AlignRow;
  reference: AlignRow;
  points: ControlPoint[];
  /** Point that spoils the fit, and the one picked in the table. */
  worst: string | null;
  picked: string | null;
  pending: { from: Spot | null; to: Spot | null };
  onFrom(at: Spot): void;
  onTo(at: Spot): void;
  onPick(id: string): void;
}
/** The magnifier shows so many times what the map does. */
const MAGNIFY = 4;

/**
 * The date and its reference side by side: the same place is clicked in both. Magnifiers follow the
 * cursor, and once there is a fit, both look at the same place.
 */
export function PointMaps({
  study,
  date,
  reference,
  points,
  worst,
  picked,
  pending,
  onFrom,
  onTo,
  onPick,
}: Props) {
  const down = date.picture;
  const left = useMemo(() => displayed(date.raw!), [date.raw]);
  const right = useMemo(() => displayed(reference.aligned!), [reference.aligned]);
  /** Of a picture rows count downwards; the map draws them upwards. */
  const draw = (point: Spot): Spot => (down ? [point[0], -point[1]] : point);
  const own = draw;
  const fit = useMemo(() => {
    const on = points.filter((point) => point.on);
    const model = on.length >= 3 ? "polynomial1" : "similarity";
    // Only to look at about the same place on both sides; the fit itself is laid in the desk.
    try {
      return {
        there: pathFunction(fitPoints(on, model, 0, down).path),
        back: pathFunction(
          fitPoints(
            on.map((point) => ({ from: point.to, to: point.from })),
            model,
            0,
            down,
          ).path,
        ),
      };
    } catch {
      return null;
    }
  }, [points, down]);
  const [at, setAt] = useState<{ side: "left" | "right"; spot: Spot } | null>(null);
  let other: [number, number] | null;
  if (at && fit) {
    if (at.side === "left") {
      other = fit.back(...own(at.spot));
    } else {
      other = draw(fit.there(...at.spot));
    }
  } else {
    other = null;
  }
  const marks = (of: (point: ControlPoint) => Spot, half: Spot | null): Mark[] => [
    ...points.map((point): Mark => ({
      at: of(point),
      name: point.name,
      state: point.id === worst ? "missed" : point.on ? "met" : "unknown",
    })),
    ...points
      .filter((point) => point.id === picked)
      .map((point): Mark => ({ at: of(point), name: "", state: "spot" })),
    ...(half ? [{ at: half, name: "new", state: "spot" as const }] : []),
  ];
  const near = (
    of: (point: ControlPoint) => Spot,
    spot: Spot,
    cell: number,
  ): ControlPoint | undefined =>
    points.find((point) => Math.hypot(of(point)[0] - spot[0], of(point)[1] - spot[1]) < 6 * cell);
  const from = (point: ControlPoint) => draw(point.from);
  const to = (point: ControlPoint) => point.to;
  return (
    <div className="flex h-full">
      <Pane
        side="left"
        row={date}
        node={left}
        study={study}
        title="Date"
        label="The date, to be marked"
        marks={marks(from, pending.from ? draw(pending.from) : null)}
        at={at?.side === "left" ? at.spot : other}
        live={at?.side === "left"}
        onPointer={(spot) => setAt(spot ? { side: "left", spot } : null)}
        onClick={(spot, cell) => {
          const hit = near(from, spot, cell);
          if (hit) {
            onPick(hit.id);
          } else {
            onFrom(own(spot));
          }
        }}
        waits={!!pending.to && !pending.from}
        say={(spot) =>
          down
            ? `column ${number(spot[0], 1)}, row ${number(-spot[1], 1)}`
            : `${number(spot[0], 0)} E, ${number(spot[1], 0)} N`
        }
      />
      <Pane
        side="right"
        row={reference}
        node={right}
        study={study}
        title="Reference"
        label="The reference, to be marked"
        marks={marks(to, pending.to)}
        at={at?.side === "right" ? at.spot : other}
        live={at?.side === "right"}
        onPointer={(spot) => setAt(spot ? { side: "right", spot } : null)}
        onClick={(spot, cell) => {
          const hit = near(to, spot, cell);
          if (hit) {
            onPick(hit.id);
          } else {
            onTo(spot);
          }
        }}
        waits={!!pending.from && !pending.to}
        say={(point) => `${number(point[0], 0)} E, ${number(point[1], 0)} N`}
      />
    </div>
  );
}

function Pane({
  side,
  row,
  node,
  study,
  title,
  label,
  marks,
  at,
  live,
  onPointer,
  onClick,
  waits,
  say,
}: {
  side: "left" | "right";
  row: AlignRow;
  node: NonNullable<AlignRow["raw"]>;
  study: Study;
  title: string;
  label: string;
  marks: Mark[];
  at: Spot | null;
  live: boolean;
  onPointer(spot: Spot | null): void;
  onClick(spot: Spot, resolution: number): void;
  waits: boolean;
  say(spot: Spot): string;
}) {
  const { layer } = usePicture(node);
  const area = useRef(study.studyArea);
  const frame = row.picture && side === "left";
  const view = useMemo(
    () => viewOf(node.info.grid, null, frame ? null : area.current),
    [node, frame],
  );
  const glass = useMemo(
    () =>
      new View({
        projection: projectionOf(node.info.grid.crs),
        center: view.getCenter(),
        resolution: (view.getResolution() ?? 1) / MAGNIFY,
      }),
    [node, view],
  );
  const main = useMemo(() => layer?.() ?? null, [layer]);
  const inGlass = useMemo(() => layer?.() ?? null, [layer]);
  const key = JSON.stringify(marks);
  const pins = useMemo(() => pinLayer(JSON.parse(key) as Mark[]), [key]);
  const layers = useMemo(() => [...(main ? [main] : []), pins], [main, pins]);
  const glassPins = useMemo(() => pinLayer(JSON.parse(key) as Mark[]), [key]);
  const glassLayers = useMemo(
    () => [...(inGlass ? [inGlass] : []), glassPins],
    [inGlass, glassPins],
  );
  /** The whole picture is seen at first, in half of the room that a map usually has. */
  const fitIn = (m: OlMap) => {
    const size = m.getSize();
    if (size && (frame || !area.current)) {
      view.fit(extentOf(node.info.grid), { size, padding: [44, 8, 44, 8] });
    }
  };
  useEffect(() => {
    if (at) {
      glass.setCenter(at);
      glass.setResolution((view.getResolution() ?? 1) / MAGNIFY);
    }
  }, [at, glass, view]);
  return (
    <div
      className={
        side === "left"
          ? "relative h-full min-w-0 flex-1 border-r-2 border-paper"
          : "relative h-full min-w-0 flex-1"
      }
    >
      <MapPane
        view={view}
        layers={layers}
        label={label}
        scale={!frame}
        twin={at && !live ? at : null}
        onPointer={onPointer}
        onClick={(point) => onClick(point, view.getResolution() ?? 1)}
        onMap={(m) => {
          if (m.getSize()) {
            fitIn(m);
          } else {
            m.once("change:size", () => fitIn(m));
          }
        }}
      >
        <div className="pointer-events-none absolute left-3 top-3 max-w-[75%] truncate rounded-field bg-night/85 px-2.5 py-1 text-[11px] text-[#d5dbd8]">
          <b className="mr-2 text-[12px] text-white">{title}</b>
          {row.name}
        </div>
        {waits && (
          <div className="pointer-events-none absolute left-1/2 top-12 -translate-x-1/2 whitespace-nowrap rounded-field bg-warn px-2.5 py-1 text-[12px] font-semibold text-night">
            Now click the same place here
          </div>
        )}
        <div className="pointer-events-none absolute bottom-3 left-3 rounded-field bg-night/85 px-2.5 py-1.5 font-mono text-[12px] leading-[17px] text-white">
          {at ? say(at) : <span className="text-[#c9d0cd]">Click a place to mark it</span>}
        </div>
      </MapPane>
      {at && (
        <div
          className="pointer-events-none absolute bottom-14 right-3 h-[150px] w-[150px] overflow-hidden rounded-card border-2 border-white/80 bg-night"
          aria-hidden
        >
          <MapPane view={glass} layers={glassLayers} label="Magnifier" still />
          <span className="absolute left-1/2 top-0 h-full w-px -translate-x-1/2 bg-white mix-blend-difference" />
          <span className="absolute left-0 top-1/2 h-px w-full -translate-y-1/2 bg-white mix-blend-difference" />
        </div>
      )}
    </div>
  );
}
