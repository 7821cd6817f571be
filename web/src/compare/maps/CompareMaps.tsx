import { useState } from "react";
import type OlMap from "ol/Map";
import type BaseLayer from "ol/layer/Base";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { CompareNodes, Scene, Study } from "../../api/types";
import { dayYear } from "../../lib/format";
import type { Stretch } from "../../map/layers";
import { TwoSides } from "../../map/TwoSides";
import type { TwoDate } from "../../map/twoDates";
import { useCursor } from "../../map/useCursor";
import { useUi } from "../../state/ui";
import type { LayerUnit } from "../units";
import { MainMap } from "./MainMap";
import { PictureChoice } from "./PictureChoice";
import { ReadOut } from "./ReadOut";
import { Tag } from "./Tag";
import { TwoDateChoice } from "./TwoDateLegend";
import type { GroupsOnMap, Place } from "./types";
import { isOfClasses, useDateLooks } from "./useDateLooks";
import { useMapLayers } from "./useMapLayers";
import { useMapView } from "./useMapView";
import { useSecondLayer } from "./useSecondLayer";
import type { SecondShow } from "../second/ShowChoice";
import { useShownView } from "../../map/useShownView";

interface Props {
  study: Study;
  before: Scene;
  after: Scene;
  nodes: CompareNodes;
  setup: ChangeSetup;
  classesReady: boolean;
  groups: GroupsOnMap | null;
  unit: LayerUnit;
  bandName: string;
  measureName: string;
  /** Ends of the grey levels of both dates. */
  stretch: Stretch;
  /** End of the measure's usual range. */
  changeEnd: number;
  /** What else lies on the main map, on top. */
  extra?: BaseLayer[];
  /** Is given the main map, for who needs it. */
  onMap?(map: OlMap): void;
  onClick?(at: Place, isMore: boolean): void;
  /** What of a second sensor lies over the classes. */
  secondShow?: SecondShow;
  /** Neither shows nor tells what the map says: the dates alone. */
  isBlind?: boolean;
}

const NONE: BaseLayer[] = [];

/** The maps of both dates with classes and measure on them. */
export function CompareMaps({ extra = NONE, nodes, stretch, changeEnd, ...props }: Props) {
  const { study, before, setup, bandName, unit, classesReady } = props;
  const view = useShownView(!isOfClasses(nodes));
  const glancing = useUi((state) => state.glancing);
  const [how, setHow] = useState<TwoDate>("clay");
  const [map, setMap] = useState<OlMap | null>(null);
  const cursor = useCursor();
  const olView = useMapView(nodes.before.info.grid, study.studyArea);
  const looks = useDateLooks(nodes, bandName, stretch);
  const twoDates = { how, stretch, changeEnd };
  const { secondShow = "classes" } = props;
  const over = useSecondLayer(nodes, secondShow);
  const isCovered = over !== null && secondShow === "saw";
  const layers = useMapLayers({ ...props, nodes, looks, twoDates, over, isCovered, extra, map });
  const blended = view === "blend" && !glancing;
  return (
    <TwoSides
      cursor={cursor}
      isBlended={!isOfClasses(nodes)}
      glance={{ to: "glance back", at: `Before · ${dayYear(before.acquiredAt!)}` }}
      left={{
        view: olView,
        layers: layers.left,
        label: "Map of the before date",
        tag: <Tag side="before" scene={before} bandName={bandName} />,
      }}
      main={
        <MainMap
          {...props}
          {...{ nodes, looks, twoDates, olView, layers }}
          pointer={cursor.pointer("right")}
          twin={cursor.twinOf("right")}
          cover={isCovered ? `${nodes.second?.scene ?? ""} · ${nodes.second?.name ?? ""}` : null}
          onMap={(made) => {
            setMap(made);
            props.onMap?.(made);
          }}
        />
      }
    >
      {blended && <TwoDateChoice how={how} onChange={setHow} />}
      {nodes.pictures && view !== "blend" && (
        <PictureChoice picture={nodes.pictures.before} bandName={bandName} looks={looks} />
      )}
      {cursor.at && !props.isBlind && (
        <ReadOut
          {...{ nodes, setup, classesReady, unit }}
          at={cursor.at}
          measureName={props.measureName}
        />
      )}
    </TwoSides>
  );
}
