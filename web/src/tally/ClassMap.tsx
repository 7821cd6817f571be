import { sceneRoutes } from "@hindglance/contract/scenes";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { call } from "../api/call";
import { useMemo } from "react";
import { useQuery } from "@tanstack/react-query";
import { useScenes } from "../api/hooks";
import { useFields } from "../prepare/useFields";
import { bandsOfLook, inCommon, stretchesOf } from "../map/look";
import type { ChangeMap, Study } from "../api/types";
import type OlMap from "ol/Map";
import type BaseLayer from "ol/layer/Base";
import { outlineLayer } from "../map/areaLayer";
import { type Stretch, classLayer, greyLayer, rgbLayer, sourceOf, viewOf } from "../map/layers";
import { MapPane } from "../map/MapPane";
import { NodeCells } from "../map/nodeCells";

/** The change map over its after date, with one class or all. */
const NOTHING: BaseLayer[] = [];

/** A small map of a change map's classes. */
export function ClassMap({
  map,
  study,
  only,
  extra = NOTHING,
  onMap,
  onClick,
}: {
  map: ChangeMap;
  study: Study;
  only: number | null;
  extra?: BaseLayer[];
  onMap?(m: OlMap): void;
  onClick?(at: [number, number]): void;
}) {
  const node = useQuery({
    queryKey: ["mapNode", map.id],
    queryFn: () => call(changeMapRoutes.node, { params: { id: map.id } }),
    staleTime: Infinity,
  }).data;
  const scene =
    useScenes(study.id).data?.find(
      (s) => s.fileSha256 === map.provenance.after.sha256 && s.imageId,
    ) ?? null;
  const picture = useQuery({
    queryKey: ["sceneOnMap", scene?.id, scene?.imageId],
    queryFn: () => call(sceneRoutes.node, { params: { id: scene!.id }, query: { onMap: "1" } }),
    enabled: !!scene,
    staleTime: Infinity,
    retry: false,
  }).data;
  // Optical dates are shown as the eye sees them, others by the band that was compared.
  const bands = useMemo(() => {
    if (!picture) {
      return [];
    }
    if (picture.info.bands.some((band) => band.role === "reflectance")) {
      return bandsOfLook(picture.info.bands, "natural");
    }
    return [Math.min(map.setup.band, picture.info.bands.length - 1)];
  }, [picture, map.setup.band]);
  const fields = useFields(picture?.hash ?? null, null, bands);
  const stretches = bands.length ? stretchesOf(fields) : null;
  const style = JSON.stringify(stretches);
  const view = useMemo(
    () => (node ? viewOf(node.info.grid, null, study.studyArea) : null),
    [node, study.studyArea],
  );
  const layers = useMemo(() => {
    if (!node) {
      return [];
    }
    const s = JSON.parse(style) as Stretch[] | null;
    const classes = (node.info.classes ?? []).filter(
      (classInfo) => only === null || classInfo.label === only,
    );
    return [
      ...(picture && s
        ? [
            s.length === 3
              ? rgbLayer(
                  sourceOf(new NodeCells(picture)),
                  bands.map((b) => b + 1) as [number, number, number],
                  inCommon(s) as [Stretch, Stretch, Stretch],
                )
              : greyLayer(sourceOf(new NodeCells(picture)), s[0]!, bands[0]! + 1),
          ]
        : []),
      classLayer(sourceOf(new NodeCells(node)), classes, 0.92),
      ...(study.studyArea ? [outlineLayer([study.studyArea], node.info.grid.crs)] : []),
      ...extra,
    ];
  }, [node, picture, style, bands, only, study.studyArea, extra]);
  return view ? (
    <MapPane
      view={view}
      layers={layers}
      label="The change map"
      scale
      onClick={onClick}
      {...(onMap ? { onMap } : {})}
    />
  ) : null;
}
