import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { call } from "../api/call";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useQueries, useQuery } from "@tanstack/react-query";
import type OlMap from "ol/Map";
import Feature from "ol/Feature";
import GeoJSON from "ol/format/GeoJSON";
import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import { Fill, Stroke, Style } from "ol/style";
import { type Crs, LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { api } from "../api/client";
import type { ChangeMap, PatchRow } from "../api/types";
import { projectionOf } from "../map/projection";

export type PatchSort = "number" | "class" | "area" | "perimeter" | "measure" | "elevation";
/** Which patches are listed and in which order; areas in m². */
export interface PatchAsk {
  labels: number[] | null;
  leastM2: number | null;
  mostM2: number | null;
  measureFrom: number | null;
  measureTo: number | null;
  elevationFrom: number | null;
  elevationTo: number | null;
  sort: PatchSort;
  down: boolean;
}
export const ALL_PATCHES: PatchAsk = {
  labels: null,
  leastM2: null,
  mostM2: null,
  measureFrom: null,
  measureTo: null,
  elevationFrom: null,
  elevationTo: null,
  sort: "area",
  down: true,
};

/** What is asked of patches, as the address says it. */
export const askText = (patchAsk: PatchAsk): string =>
  Object.entries(patchAsk)
    .filter(([, value]) => value !== null)
    .map(([k, value]) => `${k}=${Array.isArray(value) ? value.join(",") : String(value)}`)
    .join("&");

export const PAGE = 100;
interface Page {
  count: number;
  areaM2: number;
  patches: PatchRow[];
}
const pageOf = (map: ChangeMap, text: string, k: number) => ({
  queryKey: ["patches", map.id, text, k],
  queryFn: () =>
    api<Page>("GET", `/change-maps/${map.id}/patches?${text}&offset=${k * PAGE}&limit=${PAGE}`),
  staleTime: Infinity,
});
/** How many patches are asked for, and their area. */
export const usePatchCount = (map: ChangeMap, ask: PatchAsk) =>
  useQuery(pageOf(map, askText(ask), 0));
/**
 * Rows of a list of any length, fetched a page at a time where they are looked at. @param seen
 * first and last row in view
 */
export function usePatchRows(
  map: ChangeMap,
  ask: PatchAsk,
  seen: readonly [number, number],
): (i: number) => PatchRow | null {
  const text = askText(ask);
  const from = Math.floor(seen[0] / PAGE);
  const to = Math.floor(seen[1] / PAGE);
  const pages = useQueries({
    queries: Array.from({ length: to - from + 1 }, (_v, k) => pageOf(map, text, from + k)),
  });
  return (i) => pages[Math.floor(i / PAGE) - from]?.data?.patches[i % PAGE] ?? null;
}

/** Box around what a map shows, and the size of a pixel, in degrees. */
function boxOf(m: OlMap, crs: Crs): { box: number[]; pixel: number } | null {
  const size = m.getSize();
  if (!size) {
    return null;
  }
  const [x0, y0, x1, y1] = m.getView().calculateExtent(size) as [number, number, number, number];
  const pointTransform = transformer(crs, LONLAT);
  const point = [0, 0.5, 1].flatMap((across) =>
    [0, 0.5, 1].map((value) => pointTransform(x0 + across * (x1 - x0), y0 + value * (y1 - y0))),
  );
  const box = [
    Math.min(...point.map((corner) => corner[0])),
    Math.min(...point.map((corner) => corner[1])),
    Math.max(...point.map((corner) => corner[0])),
    Math.max(...point.map((corner) => corner[1])),
  ];
  return { box, pixel: (box[3]! - box[1]!) / size[1]! };
}

const rim = new Style({
  fill: new Fill({ color: "rgba(0,0,0,0.01)" }),
  stroke: new Stroke({ color: "rgba(255,255,255,.75)", width: 1 }),
});
const chosen = [
  new Style({ stroke: new Stroke({ color: "#12181a", width: 5 }) }),
  new Style({
    fill: new Fill({ color: "rgba(0,0,0,0.01)" }),
    stroke: new Stroke({ color: "#ffffff", width: 2.2 }),
  }),
];
/** Outlines on the map at a time: the largest of the part in view. */
const OUTLINES = 1500;

/** Outlines of the patches in view, the picked one thicker; and the patch under a place. */
export function useOutlines(map: ChangeMap, ask: PatchAsk, picked: number | null) {
  const [ol, setOl] = useState<OlMap | null>(null);
  const [box, setBox] = useState("");
  const crs = map.info.grid.crs;
  const pick = useRef(picked);
  pick.current = picked;
  const layer = useMemo(
    () =>
      new VectorLayer({
        source: new VectorSource(),
        zIndex: 5,
        style: (featureLike) => (featureLike.get("number") === pick.current ? chosen : rim),
      }),
    [],
  );
  useEffect(() => {
    if (!ol) {
      return;
    }
    const moved = () => {
      const b = boxOf(ol, crs);
      if (b) {
        setBox(
          `${b.box.map((value) => value.toFixed(5)).join(",")}&toleranceDeg=${b.pixel.toPrecision(2)}`,
        );
      }
    };
    ol.on("moveend", moved);
    moved();
    return () => {
      ol.un("moveend", moved);
    };
  }, [ol, crs]);
  const { sort: _s, down: _d, ...which } = ask;
  const text = askText({ ...which, sort: "area", down: true });
  const found = useQuery({
    queryKey: ["outlines", map.id, text, box],
    queryFn: () =>
      api<(PatchRow & { geometry: object })[]>(
        "GET",
        `/change-maps/${map.id}/outlines?${text}&box=${box}&limit=${OUTLINES}`,
      ),
    enabled: box !== "",
    staleTime: Infinity,
    placeholderData: (x) => x,
  }).data;
  // The picked patch may be smaller than the largest in view.
  const apart = picked !== null && !found?.some((part) => part.number === picked);
  const own = useQuery({
    queryKey: ["outline", map.id, picked],
    queryFn: () =>
      call(changeMapRoutes.outline, { params: { id: map.id, number: String(picked) } }),
    enabled: apart,
    staleTime: Infinity,
  }).data;
  useEffect(() => {
    const format = new GeoJSON({
      dataProjection: "EPSG:4326",
      featureProjection: projectionOf(crs),
    });
    const source = layer.getSource()!;
    source.clear(true);
    source.addFeatures(
      [...(found ?? []), ...(apart && own ? [own] : [])].map((part) => {
        const feature = new Feature(format.readGeometry(part.geometry) ?? undefined);
        feature.set("number", part.number);
        feature.set("row", part);
        return feature;
      }),
    );
  }, [found, apart, own, layer, crs]);
  useEffect(() => {
    layer.changed();
  }, [layer, picked]);
  const at = useCallback(
    (place: [number, number]): PatchRow | null => {
      const feature = layer.getSource()!.getFeaturesAtCoordinate(place)[0];
      return feature ? (feature.get("row") as PatchRow) : null;
    },
    [layer],
  );
  /** Brings a patch into view, with room around it. */
  const show = useCallback(
    (patch: PatchRow) => {
      if (!ol) {
        return;
      }
      const pointTransform = transformer(LONLAT, crs);
      const c = [
        [patch.west, patch.south],
        [patch.east, patch.south],
        [patch.east, patch.north],
        [patch.west, patch.north],
      ].map(([x, y]) => pointTransform(x!, y!));
      const e = [
        Math.min(...c.map((corner) => corner[0])),
        Math.min(...c.map((corner) => corner[1])),
        Math.max(...c.map((corner) => corner[0])),
        Math.max(...c.map((corner) => corner[1])),
      ];
      ol.getView().fit(e, {
        padding: [90, 90, 90, 90],
        minResolution: map.info.grid.transform[1] / 3,
        duration: 250,
      });
    },
    [ol, crs, map.info.grid.transform],
  );
  const extra = useMemo(() => [layer], [layer]);
  return { extra, setOl, at, show, shown: found?.length ?? 0 };
}
