import { useMemo } from 'react';
import { useQuery } from '@tanstack/react-query';
import { api } from '../api/client';
import { useScenes } from '../api/hooks';
import { useField } from '../prepare/useFields';
import type { ChangeMap, NodeView, Study } from '../api/types';
import { outlineLayer } from '../map/areaLayer';
import { classLayer, greyLayer, sourceOf, viewOf } from '../map/layers';
import { MapPane } from '../map/MapPane';
import { NodeCells } from '../map/nodeCells';
import { quantile } from '@hindglance/core/raster/histogram';

/** The change map over its after date, with one class or all. */
export function ClassMap({ map, study, only }: { map: ChangeMap; study: Study; only: number | null }) {
  const node = useQuery({ queryKey: ['mapNode', map.id], queryFn: () => api<NodeView>('GET', `/change-maps/${map.id}/node`), staleTime: Infinity }).data;
  const scene = useScenes(study.id).data?.find((s) => s.fileSha256 === map.provenance.after.sha256 && s.imageId) ?? null, picture = useQuery({ queryKey: ['sceneOnMap', scene?.id, scene?.imageId], queryFn: () => api<NodeView>('GET', `/scenes/${scene!.id}/node?onMap=1`), enabled: !!scene, staleTime: Infinity, retry: false }).data, field = useField(picture?.hash ?? null, null);
  const band = map.setup.band;
  const view = useMemo(() => (node ? viewOf(node.info.grid, null, study.studyArea) : null), [node, study.studyArea]);
  const layers = useMemo(() => {
    if (!node) return [];
    const h = field && field.cells > 0 ? field.histogram : null, classes = (node.info.classes ?? []).filter((c) => only === null || c.label === only);
    return [
      ...(picture && h ? [greyLayer(sourceOf(new NodeCells(picture)), { lo: quantile(h, 0.01), hi: quantile(h, 0.99) }, band + 1)] : []),
      classLayer(sourceOf(new NodeCells(node)), classes, 0.92), ...(study.studyArea ? [outlineLayer([study.studyArea], node.info.grid.crs)] : []),
    ];
  }, [node, picture, field, band, only, study.studyArea]);
  return view ? <MapPane view={view} layers={layers} label="The change map" scale /> : null;
}
