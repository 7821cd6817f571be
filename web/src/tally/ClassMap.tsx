import { useMemo } from "react";
import { useQuery } from "@tanstack/react-query";
import type OlMap from "ol/Map";
import type BaseLayer from "ol/layer/Base";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import { sceneRoutes } from "@hindglance/contract/scenes";
import { call } from "../api/call";
import { useScenes } from "../api/hooks";
import type { ChangeMap, NodeView, Study } from "../api/types";
import { classLayer } from "../map/layers";
import { bandsOfLook } from "../map/look";
import { MapPane } from "../map/MapPane";
import { viewOf } from "../map/mapView";
import { tilesOf } from "../map/tiles";
import { useImageLayer } from "../map/useImageLayer";
import { useOutline } from "../map/useOutline";
import { useMapNode } from "./useMapNode";

interface Props {
  map: ChangeMap;
  study: Study;
  /** The only class that is shown; null shows all. */
  only: number | null;
  /** What else lies on the map, on top. */
  extra?: BaseLayer[];
  onMap?: (map: OlMap) => void;
  onClick?: (at: [number, number], isMore: boolean) => void;
  /** Classes that are shown in place of the map's own. */
  classes?: NodeView | undefined;
}

const NOTHING: BaseLayer[] = [];
const NO_BANDS: number[] = [];

/** The after date of a change map, as long as the study has it. */
function usePicture(map: ChangeMap, studyId: string): NodeView | undefined {
  const scene =
    useScenes(studyId).data?.find(
      (each) => each.fileSha256 === map.provenance.after.sha256 && each.imageId,
    ) ?? null;
  return useQuery({
    queryKey: ["sceneOnMap", scene?.id, scene?.imageId],
    queryFn: () => call(sceneRoutes.node, { params: { id: scene!.id }, query: { onMap: "1" } }),
    enabled: !!scene,
    staleTime: Infinity,
    retry: false,
  }).data;
}

/** Optical dates are shown as the eye sees them, others by the band that was compared. */
function bandsShown(picture: NodeView, compared: number): number[] {
  const { bands } = picture.info;
  return bands.some((band) => band.role === "reflectance")
    ? bandsOfLook(bands, "natural")
    : [Math.min(compared, bands.length - 1)];
}

/** The after date as a layer: none until it and its stretch are known. */
function usePictureLayer(map: ChangeMap, studyId: string): WebGLTileLayer[] {
  const picture = usePicture(map, studyId);
  const compared = map.setup.band;
  const layer = useImageLayer(picture, picture ? bandsShown(picture, compared) : NO_BANDS);
  return useMemo(() => (layer ? [layer] : []), [layer]);
}

function useClassLayer(node: NodeView | undefined, only: number | null): WebGLTileLayer[] {
  return useMemo(() => {
    const classes = node?.info.classes ?? [];
    const shown = only === null ? classes : classes.filter(({ label }) => label === only);
    return node ? [classLayer(tilesOf(node), shown, 0.92)] : [];
  }, [node, only]);
}

/** The change map over its after date, with one class or all. */
export function ClassMap({ map, study, only, extra = NOTHING, onMap, ...given }: Props) {
  const own = useMapNode(map).data;
  const node = given.classes ?? own;
  const picture = usePictureLayer(map, study.id);
  const classes = useClassLayer(node, only);
  const outline = useOutline(study, node?.info ?? null);
  const view = useMemo(
    () => (node ? viewOf(node.info.grid, null, study.studyArea) : null),
    [node, study.studyArea],
  );
  const layers = useMemo(
    () => [...picture, ...classes, ...outline, ...extra],
    [picture, classes, outline, extra],
  );
  return view ? (
    <MapPane
      view={view}
      layers={layers}
      label="The change map"
      scale
      onClick={given.onClick}
      onMap={onMap}
    />
  ) : null;
}
