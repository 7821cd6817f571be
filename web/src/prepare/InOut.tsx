import { type ReactNode, useEffect, useMemo, useState } from "react";
import type OlMap from "ol/Map";
import type { NodeView } from "@hindglance/contract/nodes";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import type { Study } from "../api/types";
import { Curtain } from "../map/Curtain";
import { ClassLegend, RampLegend } from "../map/Legend";
import { MapPane } from "../map/MapPane";
import { boxLayer } from "../map/areaLayer";
import { useOutline } from "../map/useOutline";
import { viewOf } from "../map/mapView";
import { rampById, rampFor } from "../map/ramps";
import { useUi } from "../state/ui";
import { ReadOut, SideName } from "./ReadOut";
import { useDragBox } from "./useDragBox";
import type { SidePicture } from "./usePictures";
import { useSideLayer } from "./useSideLayer";
import type { MapBox, StepLook } from "./useStepLook";

/** How the haze map is drawn. */
const LEVELS_PICTURE: SidePicture = { bands: [0], stretches: null };

interface Sides {
  study: Study;
  input: NodeView;
  output: NodeView;
  /** The haze map, where it is shown in place of the result. */
  levels: NodeView | null;
  look: StepLook;
  preview: MapBox | null;
}

/** Layers of both sides, the study area and the preview box, and how the curtain cuts them. */
function useStepLayers({ study, input, output, levels, look, preview }: Sides) {
  const { pictures } = look;
  const below = useSideLayer(input, pictures.input);
  const result = useSideLayer(output, pictures.output);
  const haze = useSideLayer(levels ?? output, levels ? LEVELS_PICTURE : pictures.output);
  const above = levels ? haze : result;
  const outline = useOutline(study, output.info);
  const rim = useMemo(() => (preview ? [boxLayer(preview)] : []), [preview]);
  const layers = useMemo(
    () => [below.layer, above.layer, ...outline, ...rim],
    [below.layer, above.layer, outline, rim],
  );
  const clips = useMemo(
    () =>
      preview
        ? []
        : [
            { layers: [below.layer], side: "left" as const },
            { layers: [above.layer], side: "right" as const },
          ],
    [below.layer, above.layer, preview],
  );
  return { below, above, layers, clips };
}

/** In and out under one curtain. */
export function InOut({
  sensor,
  names,
  onSpot,
  children,
  ...sides
}: Sides & {
  sensor: string | null;
  names: [string, string];
  /** Takes a place that was clicked, in the coordinates of the picture. */
  onSpot(point: [number, number]): void;
  children?: ReactNode;
}) {
  const { input, output, levels, look, preview } = sides;
  const { grid } = output.info;
  const inFrame = isSensorFrame(grid.crs);
  const glancing = useUi((state) => state.glancing);
  const [curtain, setCurtain] = useState(0.5);
  const [at, setAt] = useState<[number, number] | null>(null);
  const [map, setMap] = useState<OlMap | null>(null);
  const [view] = useState(() => viewOf(grid, null, inFrame ? null : sides.study.studyArea));
  const { below, above, layers, clips } = useStepLayers(sides);
  useEffect(() => {
    above.layer.setVisible(!glancing);
  }, [glancing, above.layer]);
  // Inside a preview box the result lies over the whole input.
  useEffect(() => {
    above.layer.setExtent(preview ?? undefined);
  }, [preview, above.layer]);
  useDragBox(map, look, input.info.grid, grid);
  return (
    <MapPane
      view={view}
      layers={layers}
      label={`${names[0]} in and ${names[1]} out`}
      scale={!inFrame}
      curtain={glancing || preview ? null : curtain}
      clips={clips}
      onPointer={setAt}
      onMap={setMap}
      onClick={look.marking || inFrame ? undefined : onSpot}
    >
      <SideName name={names[0]} side="in" />
      {!glancing && <SideName name={levels ? "Haze map" : names[1]} side="out" />}
      {!glancing && !preview && <Curtain at={curtain} onMove={setCurtain} what="in" />}
      <ReadOut
        at={at}
        sides={[
          { cells: below.cells, bands: look.pictures.input.bands },
          { cells: above.cells, bands: levels ? [0] : look.pictures.output.bands },
        ]}
        grid={grid}
        sensor={inFrame ? sensor : null}
      />
      <Legends output={output} levels={levels} picture={look.pictures.output} />
      {children}
    </MapPane>
  );
}

/** Levels of the haze map, or the ramp of a single band. */
function Legends({
  output,
  levels,
  picture,
}: {
  output: NodeView;
  levels: NodeView | null;
  picture: SidePicture;
}) {
  const { bands } = output.info;
  const single =
    picture.bands.length === 1 && !levels
      ? bands[Math.min(picture.bands[0]!, bands.length - 1)]
      : null;
  return (
    <div className="pointer-events-none absolute bottom-11 right-3 flex flex-col items-end gap-1.5">
      {levels && <ClassLegend title="haze levels" classes={levels.info.classes ?? []} />}
      {single && rampFor(single) !== "grey" && picture.stretches && (
        <RampLegend
          name={single.name}
          unit={single.unit}
          ramp={rampById(rampFor(single))}
          stretch={picture.stretches[0]!}
          breaks={null}
        />
      )}
    </div>
  );
}
