import { useEffect, useMemo, useState } from "react";
import type OlMap from "ol/Map";
import type BaseLayer from "ol/layer/Base";
import type { FromTo } from "@hindglance/contract/fromTo";
import { transitionLabel } from "@hindglance/core/cover/coverClass";
import type { Bounds } from "@hindglance/core/patches/boundsOnGlobe";
import type { NodeView, Study } from "../../api/types";
import { useSame } from "../../lib/useSame";
import { Curtain } from "../../map/Curtain";
import { ClassLegend } from "../../map/Legend";
import { MapChoice } from "../../map/MapChoice";
import { MapPane } from "../../map/MapPane";
import { classLayer } from "../../map/layers";
import { bandsOfLook } from "../../map/look";
import { viewOf } from "../../map/mapView";
import { showBounds } from "../../map/showBounds";
import { tilesOf } from "../../map/tiles";
import type { Clip } from "../../map/useClips";
import { useImageLayer } from "../../map/useImageLayer";
import { useOutline } from "../../map/useOutline";
import type { Picked } from "./FromToTableView";

const SHOWN = [
  { value: "change", name: "Change" },
  { value: "pictures", name: "Pictures", hint: "Both dates under a curtain" },
  { value: "before", name: "Before" },
  { value: "after", name: "After" },
] as const;
const NO_CLIPS: Clip[] = [];
type Shown = (typeof SHOWN)[number]["value"];

/** The colour of a transition that is picked in the table. */
const PICKED = "#e0512b";
/** How strongly it is drawn over pictures, which are to be seen through it. */
const VEIL = 0.5;
/** How strongly the dates are drawn under it. */
const FAINT = 0.35;

/** Pixels of the map, about: it stands beside another picture. */
const SMALL = [420, 220] as const;

/** Pictures of the dates that the maps are of, before and after. */
export type Pictures = Record<"before" | "after", NodeView>;

interface Props {
  study: Study;
  made: FromTo;
  count: number;
  picked: Picked | null;
  /** Null where a map is of no date of the study. */
  pictures: Pictures | null;
  /** What is to be looked at closely. */
  lookAt: Bounds | null;
  /** Where ground went the way that is picked; null: none is. */
  path: NodeView | null;
}

const NO_BANDS: number[] = [];
const bandsIn = (node: NodeView | undefined): number[] =>
  node ? bandsOfLook(node.info.bands, "natural") : NO_BANDS;

/** Both pictures as layers, and which side of the curtain each belongs to. */
function usePictures(pictures: Pictures | null): { layers: BaseLayer[]; clips: Clip[] } {
  const before = useImageLayer(pictures?.before, bandsIn(pictures?.before));
  const after = useImageLayer(pictures?.after, bandsIn(pictures?.after));
  return useMemo(
    () =>
      before && after
        ? {
            layers: [after, before],
            clips: [
              { layers: [before], side: "left" },
              { layers: [after], side: "right" },
            ],
          }
        : { layers: [], clips: [] },
    [before, after],
  );
}

/** What is picked, as the labels of an image; null where nothing is. */
function pickedOf({ made, count, picked, path }: Props): { node: NodeView; label: number } | null {
  if (path) {
    return { node: path, label: 1 };
  }
  return (
    picked && { node: made.transitions, label: transitionLabel(picked.from, picked.to, count) }
  );
}

function useLayers(props: Props, shown: Shown, pictures: BaseLayer[]) {
  const { study, made } = props;
  const outline = useOutline(study, made.transitions.info);
  const picked = useSame(pickedOf(props));
  return useMemo(() => {
    const over = (alpha: number) =>
      picked
        ? [classLayer(tilesOf(picked.node), [{ label: picked.label, color: PICKED }], alpha)]
        : [];
    if (shown === "pictures") {
      return [...pictures, ...over(VEIL), ...outline];
    }
    const node = shown === "change" ? made.transitions : made[shown];
    const base = classLayer(tilesOf(node), node.info.classes ?? [], picked ? FAINT : 1);
    return [base, ...over(1), ...outline];
  }, [made, picked, shown, outline, pictures]);
}

/** Brings what is to be looked at into view. */
function useLookAt(map: OlMap | null, { made, lookAt }: Props): void {
  const { grid } = made.transitions.info;
  useEffect(() => {
    if (map && lookAt) {
      showBounds(map, lookAt, grid);
    }
  }, [map, lookAt, grid]);
}

/** What became of what on the map, or either date; what is picked in the table stands out. */
export function TransitionMap(props: Props) {
  const { study, made, pictures } = props;
  const [chosen, setShown] = useState<Shown>("change");
  const [map, setMap] = useState<OlMap | null>(null);
  const [curtain, setCurtain] = useState(0.5);
  const shown = chosen === "pictures" && !pictures ? "change" : chosen;
  const both = usePictures(pictures);
  const layers = useLayers(props, shown, both.layers);
  useLookAt(map, props);
  const { grid } = made.transitions.info;
  const view = useMemo(() => viewOf(grid, null, study.studyArea, SMALL), [grid, study.studyArea]);
  const classes = shown === "before" || shown === "after" ? (made[shown].info.classes ?? []) : [];
  const isOver = shown === "pictures";
  const picked = pickedOf(props);
  const name = picked?.node.info.classes?.find(({ label }) => label === picked.label)?.name;
  return (
    <>
      <MapChoice<Shown>
        label="What the map shows"
        value={shown}
        options={SHOWN.filter(({ value }) => value !== "pictures" || pictures)}
        onChange={setShown}
      />
      <MapPane
        view={view}
        layers={layers}
        label="Map of what became of what"
        scale
        curtain={isOver ? curtain : null}
        clips={isOver ? both.clips : NO_CLIPS}
        onMap={setMap}
      >
        {isOver && <Curtain at={curtain} onMove={setCurtain} />}
        <div className="pointer-events-none absolute bottom-3 left-3 space-y-1.5">
          {name && <ClassLegend title="picked" classes={[{ label: 1, name, color: PICKED }]} />}
          {classes.length > 0 && !picked && <ClassLegend title={shown} classes={classes} />}
        </div>
      </MapPane>
    </>
  );
}
