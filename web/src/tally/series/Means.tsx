import { useMemo } from "react";
import type { Study } from "../../api/types";
import type { SceneKind } from "../../compare/pair";
import { usePins, useValues } from "../../pins/pins";
import { Plot } from "./Plot";
import { type PlotLine, zoneColour } from "./plotLine";
import type { Series, SeriesDate } from "./series";

interface Props {
  study: Study;
  series: Series;
  picked: SeriesDate | null;
  pick(id: string): void;
  kind: SceneKind;
  /** Changes whenever a date is made in another way. */
  version: string;
}

/** Pins take the colours from here on, so that they differ from the first zones. */
const FIRST_PIN = 5;

/** A line of the band's value at each pin. */
function usePinLines({ study, series, kind, version }: Props): PlotLine[] {
  const pins = usePins(study.id).data;
  const places = useMemo(
    () => (pins ?? []).map((pin): [number, number] => [pin.lon, pin.lat]),
    [pins],
  );
  const values = useValues(study.id, places, 3, version).data;
  const scenes = (values?.scenes ?? []).filter((scene) => scene.kind === kind);
  const valueAt = (pin: number, date: SeriesDate): number | null => {
    const scene = scenes.find(({ sceneId }) => sceneId === date.sceneId);
    const band = scene?.bands.findIndex(({ key }) => key === series.band) ?? -1;
    return band < 0 ? null : (scene?.values[pin]?.[band] ?? null);
  };
  return (pins ?? []).map((pin, k) => ({
    key: `p${pin.id}`,
    name: pin.name,
    colour: zoneColour(k + FIRST_PIN),
    dashed: true,
    of: (date) => valueAt(k, date),
  }));
}

/** Mean of the band over time: of all that is seen, of each zone, and at each pin. */
export function Means(props: Props) {
  const { study, series, picked, pick } = props;
  const pinLines = usePinLines(props);
  const zoneLines = series.zones.map((zone, k): PlotLine => ({
    key: `z${k}`,
    name: zone,
    colour: zoneColour(k),
    of: (date) => date.zones?.[k + 1]?.mean ?? null,
  }));
  const all: PlotLine = { key: "all", name: "All", colour: "#1d2a2b", of: (date) => date.mean };
  return (
    <Plot
      title={`Mean ${series.band}${series.unit ? `, ${series.unit}` : ""}; pins dashed`}
      study={study}
      dates={series.dates}
      picked={picked}
      pick={pick}
      digits={series.unit === "dB" ? 1 : 3}
      waiting={!series.dates.some((date) => date.zones !== null)}
      lines={[all, ...zoneLines, ...pinLines]}
    />
  );
}
