import { useMemo, useState } from "react";
import type OlMap from "ol/Map";
import type BaseLayer from "ol/layer/Base";
import type { ClassifyDate, DateGroups, Training } from "@hindglance/contract/classify";
import type { NodeView, Study } from "../api/types";
import { transitionOf } from "@hindglance/core/cover/coverClass";
import { useSame } from "../lib/useSame";
import { Curtain } from "../map/Curtain";
import { ClassLegend, RampLegend } from "../map/Legend";
import { MapChoice } from "../map/MapChoice";
import { MapPane } from "../map/MapPane";
import { classLayer, rampLayer } from "../map/layers";
import { bandsOfLook } from "../map/look";
import { viewOf } from "../map/mapView";
import { rampById } from "../map/ramps";
import { tilesOf } from "../map/tiles";
import type { Clip } from "../map/useClips";
import { Pick } from "../ui/Pick";
import { useImageLayer } from "../map/useImageLayer";
import { useOutline } from "../map/useOutline";
import { grownLayer, trainingLayer } from "./trainingLayer";
import { useActing } from "./useActing";
import type { Classify } from "./useClassify";
import type { Doing, DrawingOnScreen } from "./useDrawing";

const SHOWN = [
  { value: "picture", name: "Picture" },
  { value: "groups", name: "Groups", hint: "Groups of like cells" },
  { value: "labels", name: "Classes" },
  { value: "smoothed", name: "Smoothed", hint: "What smoothing changes is marked in white" },
  { value: "confidence", name: "Confidence", hint: "How sure each cell's class is, 0 to 1" },
  { value: "probability", name: "Probability", hint: "How likely each cell is of one class" },
  { value: "second", name: "Second", hint: "The class that each cell is most like after its own" },
] as const;
/** What of a date is on the map. */
export type Shown = (typeof SHOWN)[number]["value"];

const NO_BANDS: NodeView["info"]["bands"] = [];
/** Where the curtain stands at first: little of the picture shows left of it. */
const NEARLY_SHUT = 0.12;
const CONFIDENCE = { lo: 0, hi: 1 };
const CONFIDENCE_RAMP = rampById("heat");

/** What classes of a date come from, as far as it is known. */
export interface Results {
  training: Training | null;
  groups: DateGroups | null;
}

interface Result {
  node: NodeView;
  /** What smoothing changes, where that is looked at. */
  marked: NodeView | null;
}

/** What smoothing makes of classes, with what it changes marked. */
const ofSmoothed = ({ smoothed }: Pick<Training, "smoothed">): Result | null =>
  smoothed && { node: smoothed.labels, marked: smoothed.changes };

/** An image of a training. */
function ofTraining(training: Training, shown: Shown): Result | null {
  if (shown === "smoothed") {
    return ofSmoothed(training);
  }
  if (shown === "probability") {
    return training.probabilities && { node: training.probabilities, marked: null };
  }
  const isThere = shown === "labels" || shown === "confidence" || shown === "second";
  return isThere ? { node: training[shown], marked: null } : null;
}

/** An image of groups. */
function ofGroups(groups: DateGroups, shown: Shown): Result | null {
  if (shown === "groups") {
    return { node: groups.groups, marked: null };
  }
  if (shown === "smoothed") {
    return ofSmoothed(groups);
  }
  return shown === "labels" && groups.classes ? { node: groups.classes, marked: null } : null;
}

/** An image of what was found of a date; null where there is none of the kind. */
function resultOf({ training, groups }: Results, shown: Shown): Result | null {
  if (groups) {
    return ofGroups(groups, shown);
  }
  return training && ofTraining(training, shown);
}

/** Labels of a map of from–to that change, in white. */
function marksOf({ info }: NodeView): { label: number; color: string }[] {
  const all = info.classes ?? [];
  const count = Math.round(Math.sqrt(all.length));
  return all
    .filter(({ label }) => {
      const { from, to } = transitionOf(label, count);
      return from !== to;
    })
    .map(({ label }) => ({ label, color: "#ffffff" }));
}

/** What training gave, over the picture; nothing where the picture itself is looked at. */
function useResultLayers(results: Results, shown: Shown, ofClass: number): BaseLayer[] {
  const result = useSame(resultOf(results, shown));
  return useMemo(() => {
    if (!result) {
      return [];
    }
    const { node, marked } = result;
    const band = shown === "probability" ? ofClass + 1 : 1;
    const base =
      node.info.type === "float32"
        ? rampLayer(tilesOf(node), CONFIDENCE, CONFIDENCE_RAMP, band)
        : classLayer(tilesOf(node), node.info.classes ?? [], 1);
    return marked ? [base, classLayer(tilesOf(marked), marksOf(marked), 1)] : [base];
  }, [result, shown, ofClass]);
}

const HELP: Record<Doing, string> = {
  polygon: "Click corners, double-click the last one.",
  rectangle: "Click one corner, then the opposite one.",
  freehand: "Hold the mouse button and go around.",
  cell: "Click a cell. Enter takes the one in the middle.",
  grow: "Click where the area begins. Enter takes the middle.",
  shape: "Drag the area or its corners. Arrow keys move it by a cell.",
  split: "Draw a line across the area, double-click its end.",
};

interface Props {
  study: Study;
  date: ClassifyDate & { picture: NodeView };
  classify: Classify;
  results: Results;
  drawing: DrawingOnScreen;
}

/** The training areas of a date, and the one that is about to be, as layers. */
function useAreaLayers(
  { settings }: Classify,
  { date, drawing, isWhite }: Pick<Props, "date" | "drawing"> & { isWhite: boolean },
): BaseLayer[] {
  const { picked, doing, label, grow } = drawing;
  const { sceneId, picture } = date;
  const { crs } = picture.info.grid;
  const without = doing === "shape" ? picked : null;
  const areas = useMemo(
    () =>
      trainingLayer(settings, sceneId, {
        ...{ ground: { crs, onto: null }, picked, without, isWhite },
      }),
    [settings, sceneId, crs, picked, without, isWhite],
  );
  const color = settings.legend.find((one) => one.label === label)?.color ?? "#ffffff";
  const grown = grow.area?.polygons;
  return useMemo(
    () => (grown ? [areas, grownLayer(grown, color, { crs, onto: null })] : [areas]),
    [areas, grown, color, crs],
  );
}

/** A date with its training areas, or what training gives of it. */
export function ClassifyPicture({ study, date, classify, results, drawing }: Props) {
  const [map, setMap] = useState<OlMap | null>(null);
  const [wanted, setShown] = useState<Shown>("picture");
  const [curtain, setCurtain] = useState(NEARLY_SHUT);
  const shown = resultOf(results, wanted) ? wanted : "picture";
  const [chosen, setOfClass] = useState(0);
  const bands = results.training?.probabilities?.info.bands ?? NO_BANDS;
  const ofClass = Math.min(chosen, Math.max(0, bands.length - 1));
  const { picture } = date;
  const { grid } = picture.info;
  const view = useMemo(() => viewOf(grid), [grid]);
  const image = useImageLayer(picture, bandsOfLook(picture.info.bands, "natural"));
  const found = useResultLayers(results, shown, ofClass);
  const outline = useOutline(study, picture.info);
  const options = SHOWN.filter(({ value }) => resultOf(results, value) ?? value === "picture");
  const clips = useMemo((): Clip[] => [{ layers: found, side: "right" }], [found]);
  const areas = useAreaLayers(classify, { date, drawing, isWhite: found.length > 0 });
  const layers = useMemo(
    () => [...(image ? [image] : []), ...found, ...outline, ...areas],
    [image, found, outline, areas],
  );
  const { onClick, showsMiddle } = useActing(map, grid, drawing);
  return (
    <>
      {options.length > 1 && (
        <MapChoice<Shown>
          label="What the map shows"
          value={shown}
          options={options}
          onChange={setShown}
        />
      )}
      <MapPane
        view={view}
        layers={layers}
        label={`Map of ${date.name}`}
        scale
        curtain={found.length > 0 ? curtain : null}
        clips={clips}
        onMap={setMap}
        onClick={onClick}
      >
        {found.length > 0 && <Curtain at={curtain} onMove={setCurtain} what="picture" />}
        <div className="pointer-events-none absolute left-3 top-3 rounded-field bg-night/85 px-2.5 py-1 text-label text-[#d5dbd8]">
          <b className="text-[12px] text-white">{date.name}</b>
        </div>
        {showsMiddle && <Middle />}
        {drawing.doing && (
          <div
            role="status"
            className="pointer-events-none absolute bottom-3 left-1/2 -translate-x-1/2 whitespace-nowrap rounded-field bg-night/85 px-3 py-1.5 text-[12px] text-[#dfe5e2]"
          >
            {HELP[drawing.doing]} Esc stops.
          </div>
        )}
        {shown === "probability" && (
          <ProbabilityOf bands={bands} value={ofClass} onPick={setOfClass} />
        )}
        <div className="pointer-events-none absolute bottom-11 right-3">
          <Legend results={results} shown={shown} ofClass={ofClass} />
        </div>
      </MapPane>
    </>
  );
}

/** The middle of the map, which Enter picks. */
const Middle = () => (
  <div
    aria-hidden
    className="pointer-events-none absolute left-1/2 top-1/2 -translate-x-1/2 -translate-y-1/2 text-[22px] leading-none text-white [text-shadow:0_0_3px_#000]"
  >
    +
  </div>
);

interface ProbabilityProps {
  /** A band a class. */
  bands: NodeView["info"]["bands"];
  value: number;
  onPick(place: number): void;
}

/** Of which class the probability is on the map. */
const ProbabilityOf = ({ bands, value, onPick }: ProbabilityProps) => (
  <div className="absolute left-1/2 top-14 w-[180px] -translate-x-1/2 text-ink">
    <Pick
      label="Probability of"
      value={String(value)}
      onChange={(place) => onPick(Number(place))}
      options={bands.map(({ name }, k) => ({ value: String(k), name }))}
    />
  </div>
);

interface LegendProps {
  results: Results;
  shown: Shown;
  ofClass: number;
}

function Legend({ results, shown, ofClass }: LegendProps) {
  const node = resultOf(results, shown)?.node;
  if (!node) {
    return null;
  }
  return node.info.type === "float32" ? (
    <RampLegend
      name={
        shown === "confidence" ? "confidence" : `probability of ${node.info.bands[ofClass]!.name}`
      }
      unit=""
      ramp={CONFIDENCE_RAMP}
      stretch={CONFIDENCE}
      breaks={null}
    />
  ) : (
    <ClassLegend title={shown} classes={node.info.classes ?? []} />
  );
}
