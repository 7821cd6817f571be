import { useState } from "react";
import type OlMap from "ol/Map";
import type View from "ol/View";
import type BaseLayer from "ol/layer/Base";
import type { CompareNodes, Scene } from "../../api/types";
import { Curtain } from "../../map/Curtain";
import { RampLegend } from "../../map/Legend";
import { MapPane } from "../../map/MapPane";
import type { Clip } from "../../map/useClips";
import { rampById } from "../../map/ramps";
import { useUi } from "../../state/ui";
import type { LayerUnit } from "../units";
import { CoverTag, Tag } from "./Tag";
import { TwoDateLegend } from "./TwoDateLegend";
import type { Place, TwoDateLook } from "./types";
import { type DateLooks, isOfClasses } from "./useDateLooks";
import { useShownView } from "../../map/useShownView";

interface Props {
  before: Scene;
  after: Scene;
  nodes: CompareNodes;
  bandName: string;
  unit: LayerUnit;
  looks: DateLooks;
  twoDates: TwoDateLook;
  olView: View;
  layers: { main: BaseLayer[]; clips: Clip[] };
  /** What is drawn in the place of after and its classes; null where they are. */
  cover: string | null;
  pointer(at: Place | null): void;
  /** Where the cursor is on the other map. */
  twin: Place | null;
  onMap(map: OlMap): void;
  onClick?: ((at: Place, isMore: boolean) => void) | undefined;
}

/** What lies on the side of after: that date, or what is drawn in its place. */
const AfterTag = ({ after, bandName, cover }: Pick<Props, "after" | "bandName" | "cover">) =>
  cover === null ? (
    <Tag side="after" scene={after} bandName={bandName} right />
  ) : (
    <CoverTag text={cover} />
  );

/** The map that every view has: both dates with the classes on them, and what its colours mean. */
export function MainMap({ before, after, nodes, bandName, unit, looks, twoDates, ...rest }: Props) {
  const { olView, layers, cover, pointer, twin, onMap, onClick } = rest;
  const view = useShownView(!isOfClasses(nodes));
  const glancing = useUi((state) => state.glancing);
  const [curtain, setCurtain] = useState(0.5);
  const curtainAt = view === "curtain" && !glancing ? curtain : null;
  const blended = view === "blend";
  const { ramp } = looks;
  return (
    <MapPane
      view={olView}
      layers={layers.main}
      label={
        view === "pair" ? "Map of the after date with classes" : "Map of both dates with classes"
      }
      scale
      curtain={curtainAt}
      clips={layers.clips}
      onPointer={pointer}
      twin={twin}
      onMap={onMap}
      onClick={onClick}
    >
      {(view === "curtain" || glancing) && <Tag side="before" scene={before} bandName={bandName} />}
      {!glancing && !blended && <AfterTag {...{ after, bandName, cover }} />}
      {ramp !== null && ramp !== "grey" && !blended && (
        <div className="pointer-events-none absolute bottom-11 right-3">
          <RampLegend
            name={bandName}
            unit={nodes.before.info.bands[0]!.unit}
            ramp={rampById(ramp)}
            stretch={twoDates.stretch}
            breaks={null}
          />
        </div>
      )}
      {blended && !glancing && (
        <TwoDateLegend how={twoDates.how} unit={unit} changeEnd={twoDates.changeEnd} />
      )}
      {curtainAt !== null && <Curtain at={curtain} onMove={setCurtain} />}
    </MapPane>
  );
}
