import { useMemo } from "react";
import type { Study } from "../../api/types";
import { dayYear } from "../../lib/format";
import { useSame } from "../../lib/useSame";
import { beyondLayer, greyLayer, rampLayer } from "../../map/layers";
import { stretchesOf } from "../../map/look";
import { MapPane } from "../../map/MapPane";
import { viewOf } from "../../map/mapView";
import { rampById, rampFor } from "../../map/ramps";
import { tilesOf } from "../../map/tiles";
import { useOutline } from "../../map/useOutline";
import { useFields } from "../../prepare/useFields";
import type { SeriesAsk, SeriesDate } from "./series";

interface Props {
  study: Study;
  date: SeriesDate;
  op: SeriesAsk["op"];
  value: number;
  colour: string;
}

const FIRST_BAND = [0];

/** One date with what is counted on it. */
export function DateMap({ study, date, op, value, colour }: Props) {
  const { node } = date;
  const source = tilesOf(node);
  const ramp = rampFor(node.info.bands[0]!);
  const stretch = useSame(stretchesOf(useFields(node.hash, null, FIRST_BAND))?.[0] ?? null);
  const grid = useSame(node.info.grid);
  const outline = useOutline(study, { grid });
  const view = useMemo(() => viewOf(grid, null, study.studyArea), [grid, study.studyArea]);
  const picture = useMemo(() => {
    if (!stretch) {
      return [];
    }
    return ramp === "grey"
      ? [greyLayer(source, stretch)]
      : [rampLayer(source, stretch, rampById(ramp))];
  }, [source, stretch, ramp]);
  const layers = useMemo(
    () => [...picture, beyondLayer(source, op, value, colour), ...outline],
    [picture, source, op, value, colour, outline],
  );
  return (
    <MapPane
      view={view}
      layers={layers}
      label={`The date ${dayYear(date.acquiredAt)} with what is counted`}
      scale
    />
  );
}
