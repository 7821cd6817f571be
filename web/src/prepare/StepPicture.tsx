import { type ReactNode, useMemo, useState } from "react";
import { ontoGlobe } from "@hindglance/core/grid/globe";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import type { NodeView } from "@hindglance/contract/nodes";
import { sayError } from "../api/client";
import type { Study } from "../api/types";
import { useOutline } from "../map/useOutline";
import { displayed } from "../map/displayed";
import { viewOf } from "../map/mapView";
import { MapPane } from "../map/MapPane";
import { Problem } from "../ui/Messages";
import { InOut } from "./InOut";
import { ReadOut, SideName } from "./ReadOut";
import type { SidePicture } from "./usePictures";
import { useSideLayer } from "./useSideLayer";
import type { MapBox, StepLook, StepNodes } from "./useStepLook";

/** In and out of a step: under one curtain where both lie in one frame, else side by side. */
export function StepPicture({
  study,
  nodes,
  names,
  look,
  preview,
  onSpot,
  children,
}: {
  study: Study;
  nodes: StepNodes;
  names: [string, string];
  look: StepLook;
  /** The part in which the result is shown; null: all of it. */
  preview: MapBox | null;
  /** Takes a place in lon/lat that was clicked; null: clicks do nothing. */
  onSpot: ((place: [number, number]) => void) | null;
  children?: ReactNode;
}) {
  const input = useMemo(() => displayed(nodes.input), [nodes.input]);
  const output = useMemo(() => displayed(nodes.output), [nodes.output]);
  const { pictures } = look;
  if (input.info.grid.crs.code === output.info.grid.crs.code) {
    return (
      <InOut
        key={input.info.grid.crs.code}
        study={study}
        input={input}
        output={output}
        levels={look.levels ? nodes.levels : null}
        sensor={nodes.sensor}
        names={names}
        look={look}
        preview={preview}
        onSpot={(point) => onSpot?.(ontoGlobe(output.info.grid)(...point))}
      >
        {children}
      </InOut>
    );
  }
  const common = { study, sensor: nodes.sensor };
  return (
    <div className="flex h-full">
      <div className="h-full min-w-0 flex-1 border-r-2 border-paper">
        <Single
          key={input.hash}
          {...common}
          node={input}
          name={names[0]}
          side="in"
          picture={pictures.input}
        />
      </div>
      <div className="h-full min-w-0 flex-1">
        <Single
          key={output.hash}
          {...common}
          node={output}
          name={names[1]}
          side="out"
          picture={pictures.output}
        />
      </div>
    </div>
  );
}

function Single({
  study,
  node,
  sensor,
  name,
  side,
  picture,
}: {
  study: Study;
  node: NodeView;
  sensor: string | null;
  name: string;
  side: "in" | "out";
  picture: SidePicture;
}) {
  const { cells, layer } = useSideLayer(node, picture);
  const { grid } = node.info;
  const inFrame = isSensorFrame(grid.crs);
  const [at, setAt] = useState<[number, number] | null>(null);
  const [view] = useState(() => viewOf(grid, null, inFrame ? null : study.studyArea));
  const outline = useOutline(study, node.info);
  const layers = useMemo(() => [layer, ...outline], [layer, outline]);
  return (
    <MapPane
      view={view}
      layers={layers}
      label={`${name}, ${side}`}
      scale={!inFrame}
      onPointer={setAt}
    >
      <SideName name={name} side={side} />
      <ReadOut
        at={at}
        sides={[{ cells, bands: picture.bands }]}
        grid={grid}
        sensor={inFrame ? sensor : null}
      />
    </MapPane>
  );
}

/** Says why a step has no picture. */
export const StepProblem = ({ error }: { error: unknown }) => (
  <div className="m-auto mt-24 w-[440px]">
    <Problem>{sayError(error)}</Problem>
  </div>
);
