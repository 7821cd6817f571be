import { useMemo } from "react";
import GeoJSON from "ol/format/GeoJSON";
import MultiPolygon from "ol/geom/MultiPolygon";
import Polygon from "ol/geom/Polygon";
import {
  Line,
  LineChart,
  ReferenceArea,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import { useQuery } from "@tanstack/react-query";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import type { NormalBand } from "@hindglance/core/normal/band";
import { call } from "../api/call";
import { useSides } from "../api/hooks";
import type { ChangeMap, PatchRow, Scene, Study } from "../api/types";
import { dayYear, number } from "../lib/format";
import { useValues } from "../pins/pins";
import { type Place, type Series, seriesOf } from "../pins/values";
import { useOutlineOf } from "./useOutlineOf";

/** Cells whose mean a value is: three by three. */
const SIZE_CELLS = 3;
const HEIGHT = 58;
/** More dates than this are not marked one by one. */
const MARKED = 40;

/** Places inside polygons, each amid its widest row, with how wide that is. */
function insides(geometry: unknown): number[][] {
  if (geometry instanceof MultiPolygon) {
    return geometry.getInteriorPoints().getCoordinates();
  }
  return geometry instanceof Polygon ? [geometry.getInteriorPoint().getCoordinates()] : [];
}

/** A place inside an outline: where it is widest. Null where it has no area. */
export function insideOf(outline: object): Place | null {
  const [widest] = insides(new GeoJSON().readGeometry(outline)).sort(
    (one, other) => other[2]! - one[2]!,
  );
  return widest ? [widest[0]!, widest[1]!] : null;
}

/** The series of the compared band, or the first there is. */
const comparedIn = (all: readonly Series[], bandName: string): Series | null =>
  all.find(({ key }) => bandName === key || bandName.endsWith(` ${key}`)) ?? all[0] ?? null;

interface Props {
  study: Study;
  map: ChangeMap;
  patch: PatchRow;
  before: Scene;
  after: Scene;
  bandName: string;
}

/** What all dates show amid a patch: a small plot, with before and after marked. */
export function PatchSeries({ map, patch, ...shown }: Props) {
  const outline = useOutlineOf(map, patch.number);
  const place = useMemo(() => (outline ? insideOf(outline.geometry) : null), [outline]);
  return <PlaceSeries {...shown} map={map} place={place} where="amid the patch" />;
}

/** What is normal at a place by the dates that a map took for normal; null where it took none. */
function useNormal(map: ChangeMap, place: Place | null): NormalBand | null {
  const { data } = useQuery({
    queryKey: ["normal", map.id, place],
    queryFn: () => {
      const [lon, lat] = place!;
      const query = { lon, lat, sizeCells: SIZE_CELLS };
      return call(changeMapRoutes.normal, { params: { id: map.id }, query });
    },
    enabled: place !== null && map.provenance.series !== undefined,
    staleTime: Infinity,
  });
  return data?.band ?? null;
}

const normalSaid = ({ low, high, beyond }: NormalBand, unit: string): string =>
  `Shaded: normal, ${number(low, 1)} to ${number(high, 1)} ${unit}, within ${number(beyond, 1)} σ`;

/** What the plot shows of its values: all of them, and the band. */
function extentOf(values: readonly number[], band: NormalBand | null): [number, number] {
  const all = band ? [...values, band.low, band.high] : values;
  return [Math.min(...all), Math.max(...all)];
}

interface PlaceProps extends Omit<Props, "patch"> {
  /** Null until it is known. */
  place: Place | null;
  /** Where that is, in words. */
  where: string;
}

/** What all dates show at a place: a small plot, with before and after marked. */
export function PlaceSeries({ study, map, place, where, before, after, bandName }: PlaceProps) {
  const version =
    useSides(study.id)
      .data?.map(({ hash }) => hash)
      .join() ?? "";
  const { data } = useValues(study.id, place ? [place] : [], SIZE_CELLS, version);
  const band = useNormal(map, place);
  const series = data ? comparedIn(seriesOf(data, 0), bandName) : null;
  if (!series || series.points.length < 2) {
    return null;
  }
  const marks = [
    { scene: before, stroke: "#3f6aa8" },
    { scene: after, stroke: "#b9562b" },
  ];
  const values = series.points.map(({ value }) => value);
  const normal = band ? normalSaid(band, series.unit) : "";
  const said = series.points.map(({ t, value }) => `${dayOf(t)}: ${number(value, 1)}`).join("; ");
  return (
    <figure
      className="mt-1.5"
      aria-label={`${series.key} ${where} on all dates, ${series.unit}. ${said}${normal && `. ${normal}`}`}
      role="img"
    >
      <figcaption className="flex justify-between text-[11px] text-soft">
        <span>
          {series.key} {where}, all dates
        </span>
        <span className="font-mono">
          {number(Math.min(...values), 1)} to {number(Math.max(...values), 1)} {series.unit}
        </span>
      </figcaption>
      <ResponsiveContainer width="100%" height={HEIGHT}>
        <LineChart data={series.points} margin={{ top: 5, right: 6, bottom: 3, left: 6 }}>
          <XAxis dataKey="t" type="number" domain={["dataMin", "dataMax"]} hide />
          <YAxis domain={extentOf(values, band)} hide />
          {band && <ReferenceArea y1={band.low} y2={band.high} fill="#1f6658" fillOpacity={0.14} />}
          {marks.map(({ scene, stroke }) => (
            <ReferenceLine
              key={scene.id}
              x={Date.parse(scene.acquiredAt!)}
              stroke={stroke}
              strokeWidth={1.5}
            />
          ))}
          <Tooltip
            labelFormatter={(t) => dayOf(Number(t))}
            formatter={(value) => [`${number(Number(value), 1)} ${series.unit}`, series.key]}
          />
          <Line
            dataKey="value"
            stroke="#1f6658"
            strokeWidth={1.5}
            dot={series.points.length <= MARKED ? { r: 2.2, fill: "#1f6658" } : false}
            isAnimationActive={false}
          />
        </LineChart>
      </ResponsiveContainer>
      {normal && <p className="text-[11px] text-soft">{normal}</p>}
    </figure>
  );
}

const dayOf = (t: number): string => dayYear(new Date(t).toISOString());
