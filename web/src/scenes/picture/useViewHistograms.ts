import { useEffect, useState } from "react";
import type OlMap from "ol/Map";
import type { Histogram } from "@hindglance/core/raster/histogram";
import type { NodeCells } from "../../map/nodeCells";
import { viewHistogram } from "../../map/viewHistogram";

type Histograms = (Histogram | null)[];

function histogramsOf(map: OlMap, cells: NodeCells, bands: string): Histograms | null {
  const view = map.getView();
  const size = map.getSize();
  const resolution = view.getResolution();
  if (!size || !resolution) {
    return null;
  }
  const extent = view.calculateExtent(size);
  return bands.split(",").map((band) => viewHistogram(cells, extent, resolution, Number(band)));
}

const textOf = (histograms: Histograms): string =>
  JSON.stringify(histograms.map((one) => one && [one.min, one.max, one.counts]));

/**
 * Histograms of what is on screen of some bands, made anew when the map has come to rest.
 *
 * @param bands their numbers with commas between; null while histograms are not asked for, which
 *   gives null
 */
export function useViewHistograms(
  map: OlMap | null,
  cells: NodeCells,
  bands: string | null,
): Histograms | null {
  const [found, setFound] = useState<Histograms | null>(null);
  useEffect(() => {
    if (bands === null || !map) {
      return;
    }
    let last = "";
    const look = () => {
      const next = histogramsOf(map, cells, bands);
      const text = next ? textOf(next) : last;
      if (text !== last) {
        last = text;
        setFound(next);
      }
    };
    map.on("rendercomplete", look);
    map.render();
    return () => {
      map.un("rendercomplete", look);
    };
  }, [map, cells, bands]);
  return bands === null ? null : found;
}
