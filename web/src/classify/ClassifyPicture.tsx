import { useMemo, useState } from "react";
import type OlMap from "ol/Map";
import type BaseLayer from "ol/layer/Base";
import type { ClassifyDate, DateGroups, Training } from "@hindglance/contract/classify";
import type { AreaGeometry, NodeView, Study } from "../api/types";
import { transitionOf } from "@hindglance/core/cover/coverClass";
import { useSame } from "../lib/useSame";
import { Curtain } from "../map/Curtain";
import { ClassLegend, RampLegend } from "../map/Legend";
import { MapChoice } from "../map/MapChoice";
import { MapPane } from "../map/MapPane";
import { classLayer, rampLayer } from "../map/layers";
import { bandsOfLook } from "../map/look";
import { viewOf } from "../map/mapView";
import { projectionOf } from "../map/projection";
import { rampById } from "../map/ramps";
import { tilesOf } from "../map/tiles";
import type { Clip } from "../map/useClips";
import { type Drawing, useDraw } from "../map/useDraw";
import { Pick } from "../ui/Pick";
import { useImageLayer } from "../map/useImageLayer";
import { useOutline } from "../map/useOutline";
import { AREA_ID, trainingLayer } from "./trainingLayer";
import type { Classify } from "./useClassify";

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

/** An image of a training. */
function ofTraining(training: Training, shown: Shown): Result | null {
  if (shown === "smoothed") {
    const { smoothed } = training;
    return smoothed && { node: smoothed.labels, marked: smoothed.changes };
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

const DRAWING_HELP: Record<Drawing, string> = {
  polygon: "Click corners, double-click the last one.",
  rectangle: "Click one corner, then the opposite one.",
  freehand: "Hold the mouse button and go around.",
};

interface Props {
  study: Study;
  date: ClassifyDate & { picture: NodeView };
  classify: Classify;
  results: Results;
  drawing: Drawing | false;
  picked: string | null;
  onDrawn(geometry: AreaGeometry): void;
  onStopDrawing(): void;
  onPick(area: string | null): void;
}

/** A date with its training areas, or what training gives of it. */
export function ClassifyPicture({ study, date, classify, results, ...props }: Props) {
  const { drawing, picked, onDrawn, onStopDrawing, onPick } = props;
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
  const { settings } = classify;
  const areas = useMemo(
    () =>
      trainingLayer(settings, date.sceneId, {
        ...{ ground: { crs: grid.crs, onto: null }, picked },
        isWhite: found.length > 0,
      }),
    [settings, date.sceneId, grid, picked, found],
  );
  const layers = useMemo(
    () => [...(image ? [image] : []), ...found, ...outline, areas],
    [image, found, outline, areas],
  );
  useDraw(map, drawing, projectionOf(grid.crs), onDrawn, onStopDrawing);
  const pickAt = (at: [number, number]) => {
    if (map && !drawing) {
      const features = map.getFeaturesAtPixel(map.getPixelFromCoordinate(at));
      const id: unknown = features.map((one): unknown => one.get(AREA_ID)).find(Boolean);
      onPick(typeof id === "string" ? id : null);
    }
  };
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
        onClick={pickAt}
      >
        {found.length > 0 && <Curtain at={curtain} onMove={setCurtain} what="picture" />}
        <div className="pointer-events-none absolute left-3 top-3 rounded-field bg-night/85 px-2.5 py-1 text-label text-[#d5dbd8]">
          <b className="text-[12px] text-white">{date.name}</b>
        </div>
        {drawing && (
          <div
            role="status"
            className="pointer-events-none absolute bottom-3 left-1/2 -translate-x-1/2 whitespace-nowrap rounded-field bg-night/85 px-3 py-1.5 text-[12px] text-[#dfe5e2]"
          >
            {DRAWING_HELP[drawing]} Esc stops.
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
