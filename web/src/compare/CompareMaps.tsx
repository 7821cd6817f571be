import { useEffect, useMemo, useRef, useState } from "react";
import type OlMap from "ol/Map";
import type BaseLayer from "ol/layer/Base";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";

import type { ChangeSetup } from "@hindglance/core/change/setup";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import type { CompareNodes, Scene, Study } from "../api/types";
import { dayYear, degrees, number, time } from "../lib/format";
import { outlineLayer } from "../map/areaLayer";
import {
  type Stretch,
  type TwoDate,
  classLayer,
  greyLayer,
  rampLayer,
  rgbLayer,
  ruleLayer,
  ruleShape,
  ruleVariables,
  sourceOf,
  twoDateLayer,
  viewOf,
} from "../map/layers";
import { MapPane } from "../map/MapPane";
import { NodeCells } from "../map/nodeCells";
import { ViewChoice } from "../map/ViewChoice";
import { Curtain } from "./Curtain";
import { Chip, Pick } from "../ui/controls";
import { type Look, bandsOfLook, inCommon, joint, looksOf, stretchesOf } from "../map/look";
import { useFields } from "../prepare/useFields";
import { RampLegend } from "../map/Legend";
import { rampById, rampFor } from "../map/ramps";
import { type LayerUnit, unitOf, withUnit } from "./units";
import { putInAddress, useUi } from "../state/ui";
import { cx } from "../ui/controls";
import { measureOf } from "@hindglance/core/change/measures/all";
import { layerLimits } from "@hindglance/core/change/limits/all";

interface Props {
  /** What else lies on the main map, on top; and the map itself, for who needs it. */ extra?: BaseLayer[];
  onMap?(m: OlMap): void;
  onClick?(at: [number, number]): void;
  /** Where classes come from groups: groups that are switched off, and what lies on the map. */ groups: {
    hidden: ReadonlySet<number>;
    show: "groups" | "classes";
  } | null;
  /** End of the measure's usual range. */ changeEnd: number;
  bandName: string;
  unit: LayerUnit;
  study: Study;
  before: Scene;
  after: Scene;
  nodes: CompareNodes;
  setup: ChangeSetup;
  stretch: Stretch;
  classesReady: boolean;
  measureName: string;
}

const NOTHING: BaseLayer[] = [];
/** Where the address says the map was, as easting, northing and metres a pixel. */
function placeInAddress(): { center: [number, number]; resolution: number } | null {
  const part = (new URLSearchParams(location.search).get("at") ?? "").split(",").map(Number);
  return part.length === 3 && part.every(Number.isFinite) && part[2]! > 0
    ? { center: [part[0]!, part[1]!], resolution: part[2]! }
    : null;
}

/** The maps of both dates with classes and measure on them. */
export function CompareMaps({
  extra = NOTHING,
  onMap,
  onClick,
  groups,
  changeEnd,
  bandName,
  unit,
  study,
  before,
  after,
  nodes,
  setup,
  stretch,
  classesReady,
  measureName,
}: Props) {
  const view = useUi((s) => s.view);
  const glancing = useUi((s) => s.glancing);
  const [curtain, setCurtain] = useState(0.5);
  const [at, setAt] = useState<[number, number] | null>(null);
  const [over, setOver] = useState<"left" | "right" | null>(null);
  const studyArea = useRef(study.studyArea);
  const grid = nodes.before.info.grid;
  const gridKey = JSON.stringify(grid);
  const olView = useMemo(
    () => viewOf(JSON.parse(gridKey) as typeof grid, placeInAddress(), studyArea.current),
    [gridKey],
  );
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout>;
    const moved = () => {
      clearTimeout(timer);
      timer = setTimeout(() => {
        const c = olView.getCenter();
        const r = olView.getResolution();
        if (c && r) {
          putInAddress("at", `${Math.round(c[0]!)},${Math.round(c[1]!)},${r.toPrecision(4)}`);
        }
      }, 400);
    };
    olView.on("change", moved);
    return () => {
      clearTimeout(timer);
      olView.un("change", moved);
    };
  }, [olView]);

  const cellsOf = useNodeCells(nodes);
  const { before: bc, after: ac, stack: sc, gated: gc, classes: cc } = cellsOf;
  const sources = useMemo(() => ({ before: sourceOf(bc), after: sourceOf(ac) }), [bc, ac]);
  const stackSource = useMemo(() => sourceOf(sc), [sc]);
  const gatedSource = useMemo(() => sourceOf(gc), [gc]);
  const classSource = useMemo(() => sourceOf(cc), [cc]);

  const [look, setLook] = useState<Look | null>(null);
  const [held, setHeld] = useState(true);
  const picture = usePictures(nodes, look, held);
  const band = nodes.before.info.bands[0]!;
  const ramp = rampFor({ ...band, name: bandName });
  const styles = JSON.stringify([picture?.styles ?? null, stretch, ramp]);
  const drawn0 = useMemo(() => {
    const one = (side: "before" | "after"): WebGLTileLayer => {
      if (picture) {
        return rgbLayer(
          picture.sources[side],
          picture.styles[side].bands,
          picture.styles[side].stretches,
        );
      }
      if (ramp === "grey") {
        return greyLayer(sources[side], stretch);
      }
      return rampLayer(sources[side], stretch, rampById(ramp));
    };
    return { main: { before: one("before"), after: one("after") }, left: one("before") };
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [sources, picture?.sources, styles]);
  const { main, left } = drawn0;
  const [colours, setColours] = useState<TwoDate>("clay");
  const blend = useMemo(
    () => twoDateLayer(stackSource, stretch, colours, changeEnd),
    [stackSource, stretch, colours, changeEnd],
  );
  const groupView = nodes.groups?.groups ?? null;
  const groupHash = groupView?.hash ?? null;
  const latestView = useRef(groupView);
  latestView.current = groupView;
  const groupSource = useMemo(
    () => (groupHash && latestView.current ? sourceOf(new NodeCells(latestView.current)) : null),
    [groupHash],
  );
  const off = groups ? JSON.stringify([...groups.hidden]) : "[]";
  const groupLayer = useMemo(() => {
    const gone = new Set(JSON.parse(off) as number[]);
    return groupSource && latestView.current
      ? classLayer(
          groupSource,
          latestView.current.info.classes!.filter((classInfo) => !gone.has(classInfo.label)),
          0.8,
        )
      : null;
  }, [groupSource, off]);
  const limits = layerLimits(setup.limits);
  const bandNames = nodes.gated.info.bands.map((b) => b.name);
  const shape = ruleShape(setup.rules, limits, bandNames);
  const latest = useRef({ setup, limits, bandNames });
  latest.current = { setup, limits, bandNames };
  const rules = useMemo(() => {
    void shape;
    return ruleLayer(
      gatedSource,
      latest.current.setup.rules,
      latest.current.limits,
      latest.current.bandNames,
    );
  }, [gatedSource, shape]);
  useEffect(() => {
    rules.updateStyleVariables(ruleVariables(setup.rules, layerLimits(setup.limits)));
  }, [rules, setup]);
  const classStyle = JSON.stringify(nodes.classes.info.classes);
  const classes = useMemo(
    () => classLayer(classSource, JSON.parse(classStyle) as { label: number; color: string }[]),
    [classSource, classStyle],
  );
  const area = useMemo(
    () =>
      study.studyArea
        ? outlineLayer([study.studyArea], (JSON.parse(gridKey) as typeof grid).crs)
        : null,
    [study.studyArea, gridKey],
  );
  const areaLeft = useMemo(
    () =>
      study.studyArea
        ? outlineLayer([study.studyArea], (JSON.parse(gridKey) as typeof grid).crs)
        : null,
    [study.studyArea, gridKey],
  );

  const layers = useMemo(
    () => [
      main.before,
      main.after,
      blend,
      rules,
      classes,
      ...(groupLayer ? [groupLayer] : []),
      ...(area ? [area] : []),
      ...extra,
    ],
    [main, blend, rules, classes, groupLayer, area, extra],
  );
  const leftLayers = useMemo(() => [left, ...(areaLeft ? [areaLeft] : [])], [left, areaLeft]);
  const clips = useMemo(
    () => [
      { layers: [main.before], side: "left" as const },
      {
        layers: [main.after, rules, classes, ...(groupLayer ? [groupLayer] : [])],
        side: "right" as const,
      },
    ],
    [main, rules, classes, groupLayer],
  );

  // The rules on the graphics card are shown while settings move; the server's classes, with all
  // limits, take their place once they are drawn.
  const map = useRef<OlMap | null>(null);
  const [drawn, setDrawn] = useState<WebGLTileLayer | null>(null);
  useEffect(() => {
    if (!classesReady || !map.current) {
      setDrawn(null);
      return;
    }
    const done = () => setDrawn(classes);
    map.current.once("rendercomplete", done);
    map.current.render();
    return () => {
      map.current?.un("rendercomplete", done);
    };
  }, [classesReady, classes]);
  useEffect(() => {
    const curtained = view === "curtain" && !glancing;
    main.before.setVisible(curtained || glancing);
    main.after.setVisible(!glancing && view !== "blend");
    blend.setVisible(view === "blend" && !glancing);
    const overlay = !glancing && view !== "blend";
    const grouped = groups !== null && groups.show === "groups";
    classes.setVisible(overlay && classesReady && !grouped);
    groupLayer?.setVisible(overlay && grouped);
    rules.setVisible(overlay && groups === null && !(classesReady && drawn === classes));
  }, [view, glancing, main, blend, classes, rules, groups, groupLayer, classesReady, drawn]);

  const pointer = (side: "left" | "right") => (point: [number, number] | null) => {
    setAt(point);
    setOver(point ? side : null);
  };
  const curtainAt = view === "curtain" && !glancing ? curtain : null;
  return (
    <div className="relative flex h-full">
      {view === "pair" && (
        <div className="h-full min-w-0 flex-1 border-r-2 border-paper">
          <MapPane
            view={olView}
            layers={leftLayers}
            label="Map of the before date"
            onPointer={pointer("left")}
            twin={over === "right" ? at : null}
          >
            <Tag side="before" scene={before} bandName={bandName} />
          </MapPane>
        </div>
      )}
      <div className="relative h-full min-w-0 flex-1">
        <MapPane
          view={olView}
          layers={layers}
          label={
            view === "pair"
              ? "Map of the after date with classes"
              : "Map of both dates with classes"
          }
          scale
          curtain={curtainAt}
          clips={clips}
          onPointer={pointer("right")}
          twin={over === "left" ? at : null}
          onMap={(m) => {
            map.current = m;
            onMap?.(m);
          }}
          onClick={onClick}
        >
          {(view === "curtain" || glancing) && (
            <Tag side="before" scene={before} bandName={bandName} />
          )}
          {!glancing && view !== "blend" && (
            <Tag side="after" scene={after} bandName={bandName} right />
          )}
          {!picture && ramp !== "grey" && view !== "blend" && (
            <div className="pointer-events-none absolute bottom-11 right-3">
              <RampLegend
                name={bandName}
                unit={band.unit}
                ramp={rampById(ramp)}
                stretch={stretch}
                breaks={null}
              />
            </div>
          )}
          {view === "blend" && !glancing && (
            <TwoDateLegend
              how={colours}
              less={unit.unit === "dB" ? "darker" : "less"}
              more={unit.unit === "dB" ? "brighter" : "more"}
              change={withUnit(
                number(changeEnd, unitOf("measure", unit).decimals),
                unitOf("measure", unit),
              )}
            />
          )}
          {curtainAt !== null && <Curtain at={curtain} onMove={setCurtain} />}
        </MapPane>
        <div className="pointer-events-none absolute bottom-3 left-1/2 -translate-x-1/2 whitespace-nowrap rounded-field bg-night/85 px-3 py-1.5 text-[12px] text-[#dfe5e2]">
          {glancing ? (
            <>Before · {dayYear(before.acquiredAt!)}</>
          ) : (
            <>
              Hold{" "}
              <kbd className="mx-1 rounded border border-[#5f6b68] px-1.5 font-sans">Space</kbd> to
              glance back
            </>
          )}
        </div>
      </div>
      <ViewChoice />
      {view === "blend" && !glancing && (
        <div className="absolute right-3 top-12 z-10 rounded-card bg-night/85 p-1">
          <Pick
            label="Two-date colours"
            className="h-7 w-[190px]"
            value={colours}
            onChange={(value: TwoDate) => setColours(value)}
            options={[
              { value: "clay", name: "Blue and clay" },
              { value: "redCyan", name: "Red and cyan" },
              { value: "withChange", name: "Before, after, change" },
            ]}
          />
        </div>
      )}
      {nodes.pictures && view !== "blend" && (
        <div className="absolute right-3 top-12 z-10 flex items-center gap-1.5 rounded-card bg-night/85 p-1">
          <Pick
            label="Picture"
            className="h-7 w-[140px]"
            value={look ?? "band"}
            onChange={(value) => setLook(value === "band" ? null : value)}
            options={[
              { value: "band", name: bandName, note: "what is compared" },
              ...looksOf(nodes.pictures.before.info.bands).filter(
                (choice) => !choice.value.startsWith("band:"),
              ),
            ]}
          />
          {look && (
            <Chip
              on={held}
              aria-pressed={held}
              title="The same colours mean the same reflectance on both dates"
              onClick={() => setHeld(!held)}
            >
              Same stretch
            </Chip>
          )}
        </div>
      )}
      <ReadOut
        unit={unit}
        at={at}
        cells={cellsOf}
        setup={setup}
        grid={grid}
        classesReady={classesReady}
        measureName={measureName}
      />
    </div>
  );
}

function TwoDateLegend({
  how,
  less,
  more,
  change,
}: {
  how: TwoDate;
  less: string;
  more: string;
  change: string;
}) {
  const word = (colour: string, name: string, text: string) => (
    <span>
      <b style={{ color: colour }}>{name}</b> {text}
    </span>
  );
  return (
    <div className="pointer-events-none absolute right-3 top-3 flex gap-2 rounded-field bg-night/85 px-2.5 py-1 text-label text-[#d5dbd8]">
      {how === "clay" ? (
        <>
          {word("#8fb3e6", "blue", `${less} after`)}
          {word("#eb9a73", "clay", `${more} after`)}
        </>
      ) : how === "redCyan" ? (
        <>
          {word("#ff8d85", "red", `${less} after`)}
          {word("#6fdcdc", "cyan", `${more} after`)}
        </>
      ) : (
        <>
          {word("#ff8d85", "red", "before")}
          {word("#7fd98b", "green", "after")}
          {word("#8fb3ff", "blue", `change, full at ${change}`)}
        </>
      )}
    </div>
  );
}

/**
 * Three-band pictures of both dates: their tiles, bands and stretches; null while none is asked
 * for, or until the stretches are known.
 */
function usePictures(nodes: CompareNodes, look: Look | null, held: boolean) {
  const part = look ? nodes.pictures : null;
  const before = part?.before ?? null;
  const after = part?.after ?? null;
  const b = useMemo(
    () => (before && look ? bandsOfLook(before.info.bands, look) : []),
    [before, look],
  );
  const a = useMemo(
    () => (after && look ? bandsOfLook(after.info.bands, look) : []),
    [after, look],
  );
  const fb = useFields(before?.hash ?? null, null, b);
  const fa = useFields(after?.hash ?? null, null, a);
  const sources = useMemo(
    () =>
      before && after
        ? { before: sourceOf(new NodeCells(before)), after: sourceOf(new NodeCells(after)) }
        : null,
    [before, after],
  );
  const sb = b.length === 3 ? stretchesOf(fb) : null;
  const sa = a.length === 3 ? stretchesOf(fa) : null;
  if (!sources || !sb || !sa) {
    return null;
  }
  const same = held ? joint(sb, sa) : null;
  const seen = (s: Stretch[]) =>
    (look === "natural" ? inCommon(s) : s) as [Stretch, Stretch, Stretch];
  const three = (x: number[]) => x.map((k) => k + 1) as [number, number, number];
  return {
    sources,
    styles: {
      before: { bands: three(b), stretches: seen(same ?? sb) },
      after: { bands: three(a), stretches: seen(same ?? sa) },
    },
  };
}

/** Fetchers of the cells of each image, kept as long as the image stays the same. */
function useNodeCells(
  compareNodes: CompareNodes,
): Record<"before" | "after" | "stack" | "gated" | "classes", NodeCells> {
  const cache = useRef(new Map<string, NodeCells>());
  const of = (nodeView: CompareNodes["before"]) => {
    let nodeCells = cache.current.get(nodeView.hash);
    if (!nodeCells) {
      nodeCells = new NodeCells(nodeView);
      cache.current.set(nodeView.hash, nodeCells);
      if (cache.current.size > 16) {
        cache.current.delete(cache.current.keys().next().value!);
      }
    }
    return nodeCells;
  };
  return {
    before: of(compareNodes.before),
    after: of(compareNodes.after),
    stack: of(compareNodes.stack),
    gated: of(compareNodes.gated),
    classes: of(compareNodes.classes),
  };
}

function Tag({
  side,
  scene,
  bandName,
  right,
}: {
  side: "before" | "after";
  scene: Scene;
  bandName: string;
  right?: boolean;
}) {
  return (
    <div
      className={cx(
        "pointer-events-none absolute top-3 rounded-field px-2.5 py-1 text-[11px] text-white",
        side === "before" ? "bg-before" : "bg-after",
        right ? "right-3" : "left-3",
      )}
    >
      <b className="mr-2 text-[12px]">{side === "before" ? "Before" : "After"}</b>
      {dayYear(scene.acquiredAt!)}, {time(new Date(scene.acquiredAt!).toISOString())} · {bandName}
    </div>
  );
}

/** Values under the cursor, always in the same corner, in real units. */
function ReadOut({
  unit,
  at,
  cells,
  setup,
  grid,
  classesReady,
  measureName,
}: {
  unit: LayerUnit;
  at: [number, number] | null;
  cells: ReturnType<typeof useNodeCells>;
  setup: ChangeSetup;
  grid: CompareNodes["before"]["info"]["grid"];
  classesReady: boolean;
  measureName: string;
}) {
  // Tiles may arrive after the cursor has come to rest.
  const [, look] = useState(0);
  const waiting = at !== null && (!cells.before.valueAt(...at) || !cells.after.valueAt(...at));
  useEffect(() => {
    if (!waiting) {
      return;
    }
    const timeout = setInterval(() => look((n) => n + 1), 250);
    return () => clearInterval(timeout);
  }, [waiting]);
  if (!at) {
    return null;
  }
  const [lon, lat] = transformer(grid.crs, LONLAT)(...at);
  const b = cells.before.valueAt(...at);
  const a = cells.after.valueAt(...at);
  const s = cells.stack.valueAt(...at) ?? cells.gated.valueAt(...at);
  const label = classesReady ? cells.classes.valueAt(...at)?.values[0] : undefined;
  const db = (value: number | undefined) => {
    if (value === undefined) {
      return "…";
    }
    if (Number.isFinite(value)) {
      return withUnit(number(value, unit.decimals), unit);
    }
    return "nodata";
  };
  // The stack holds the measure itself; where none is loaded yet, both dates do for a difference.
  const both =
    a && b && Number.isFinite(a.values[0]!) && Number.isFinite(b.values[0]!)
      ? a.values[0]! - b.values[0]!
      : NaN;
  const measured = s?.values[2];
  let change: number;
  if (measured !== undefined && Number.isFinite(measured)) {
    change = measured;
  } else {
    change = measureOf(setup.measure).ofDifference?.(both) ?? NaN;
  }
  const z =
    s && cells.stack.node.info.bands.findIndex((band) => band.name === "elevation") >= 0
      ? s.values[4]
      : undefined;
  const rule = (setup.groups?.classes ?? setup.rules).find((r) => r.label === label);
  const level = Math.max(a?.level ?? 0, b?.level ?? 0);
  return (
    <div
      className="pointer-events-none absolute bottom-3 left-3 z-10 grid grid-cols-[auto_auto] gap-x-4 rounded-field bg-night/88 px-2.5 py-1.5 font-mono text-[12px] leading-[17px] text-white"
      data-testid="read-out"
    >
      <span>{degrees(lon, lat)}</span>
      <span className="text-[#b9c2be]">
        {z !== undefined && Number.isFinite(z) ? `${number(z, 0)} m` : ""}
      </span>
      <span>
        <span className="text-[#8fb3e6]">before</span> {db(b?.values[0])}
      </span>
      <span>
        <span className="text-[#eb9a73]">after</span> {db(a?.values[0])}
      </span>
      <span title={measureName}>
        change{" "}
        {Number.isFinite(change)
          ? withUnit(
              number(change, unitOf("measure", unit).decimals, true),
              unitOf("measure", unit),
            )
          : a && b
            ? "nodata"
            : "…"}
      </span>
      <span className="text-[#f08bb8]">
        {label === CLASS_NODATA ? (
          <span className="text-[#b9c2be]">not counted</span>
        ) : (
          (rule?.name.toLowerCase() ?? "")
        )}
      </span>
      {level > 0 && (
        <span className="col-span-2 text-[11px] text-[#b9c2be]">
          preview: means of {number(4 ** level)} cells
        </span>
      )}
    </div>
  );
}
