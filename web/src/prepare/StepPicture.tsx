import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import type { Family } from "@hindglance/core/chain/family";
import DragBox from "ol/interaction/DragBox";
import type OlMap from "ol/Map";
import { useQuery } from "@tanstack/react-query";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { type Grid, toCell } from "@hindglance/core/grid/grid";

import { api, sayError } from "../api/client";
import type { NodeView, Study } from "../api/types";
import { Curtain } from "../compare/Curtain";
import { degrees, number } from "../lib/format";
import { boxLayer, outlineLayer } from "../map/areaLayer";
import { ClassLegend, RampLegend } from "../map/Legend";
import { rampById, rampFor } from "../map/ramps";
import { displayed } from "../map/displayed";
import {
  type Stretch,
  classLayer,
  greyLayer,
  rampLayer,
  rgbLayer,
  sourceOf,
  viewOf,
} from "../map/layers";
import { MapPane } from "../map/MapPane";
import { NodeCells } from "../map/nodeCells";
import { useUi } from "../state/ui";
import { Problem } from "../ui/controls";
import { isSensorFrame } from "@hindglance/core/grid/frames";

export interface StepNodes {
  input: NodeView;
  output: NodeView;
  /** The haze map in its levels, where the step makes one. */ levels: NodeView | null;
  sensor: "ascending" | "descending" | null;
}
export interface FieldBox {
  col: number;
  row: number;
  width: number;
  height: number;
}
/** How the two sides are drawn: bands of each, and their stretches once they are known. */
export interface SidePicture {
  bands: number[];
  stretches: Stretch[] | null;
}
export interface Pictures {
  input: SidePicture;
  output: SidePicture;
  /** The haze map in place of the result. */ levels: boolean;
}

interface Shown {
  study: Study;
  sensor: StepNodes["sensor"];
  names: [string, string];
  pictures: Pictures;
  marking: "field" | "preview" | null;
  preview: [number, number, number, number] | null;
  onField(field: { input: FieldBox; output: FieldBox } | null): void;
  onPreview(box: [number, number, number, number]): void;
  onSpot?(place: [number, number]): void;
  children?: ReactNode;
}

/** In and out of a step: under one curtain where both lie in one frame, else side by side. */
export function StepPicture({ nodes, ...shown }: Shown & { nodes: StepNodes }) {
  const input = useMemo(() => displayed(nodes.input), [nodes.input]);
  const output = useMemo(() => displayed(nodes.output), [nodes.output]);
  const one = input.info.grid.crs.code === output.info.grid.crs.code;
  const { names, study, sensor, pictures } = shown;
  if (one) {
    return (
      <InOut
        key={input.info.grid.crs.code}
        {...shown}
        input={input}
        output={output}
        levels={pictures.levels ? nodes.levels : null}
      />
    );
  }
  return (
    <div className="flex h-full">
      <div className="h-full min-w-0 flex-1 border-r-2 border-paper">
        <Single
          key={input.hash}
          study={study}
          node={input}
          sensor={sensor}
          name={names[0]}
          side="in"
          picture={pictures.input}
        />
      </div>
      <div className="h-full min-w-0 flex-1">
        <Single
          key={output.hash}
          study={study}
          node={output}
          sensor={sensor}
          name={names[1]}
          side="out"
          picture={pictures.output}
        />
      </div>
    </div>
  );
}

function useLayer(node: NodeView, sidePicture: SidePicture) {
  const cells = useMemo(() => new NodeCells(node), [node]);
  const source = useMemo(() => sourceOf(cells), [cells]);
  const at = sidePicture.bands.map((b) => Math.min(b, node.info.bands.length - 1));
  const key = `${at.join()} ${JSON.stringify(sidePicture.stretches)}`;
  const layer = useMemo(() => {
    const s = sidePicture.stretches ?? at.map(() => ({ lo: 0, hi: 1 }));
    const band = node.info.bands[at[0]!]!;
    if (node.info.type === "class8") {
      return classLayer(source, node.info.classes ?? [], 1);
    }
    if (at.length === 3) {
      return rgbLayer(
        source,
        at.map((k) => k + 1) as [number, number, number],
        s as [Stretch, Stretch, Stretch],
      );
    }
    return rampFor(band) === "grey"
      ? greyLayer(source, s[0]!, at[0]! + 1)
      : rampLayer(source, s[0]!, rampById(rampFor(band)), at[0]! + 1);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [source, node, key]);
  return { cells, layer };
}

function InOut({
  study,
  input,
  output,
  levels,
  sensor,
  names,
  pictures,
  marking,
  preview,
  onField,
  onPreview,
  onSpot,
  children,
}: Shown & { input: NodeView; output: NodeView; levels: NodeView | null }) {
  const glancing = useUi((s) => s.glancing);
  const [curtain, setCurtain] = useState(0.5);
  const [at, setAt] = useState<[number, number] | null>(null);
  const map = useRef<OlMap | null>(null);
  const layer = useLayer(input, pictures.input);
  const b = useLayer(output, pictures.output);
  const haze = useLayer(levels ?? output, levels ? HAZE_PICTURE : pictures.output);
  const top = levels ? haze : b;
  const frame = isSensorFrame(output.info.grid.crs);
  const grid = useRef(output.info.grid);
  const area = useRef(study.studyArea);
  const view = useMemo(() => viewOf(grid.current, null, frame ? null : area.current), [frame]);
  const outline = useMemo(
    () =>
      !frame && study.studyArea ? outlineLayer([study.studyArea], output.info.grid.crs) : null,
    [frame, study.studyArea, output],
  );
  const rim = useMemo(() => (preview ? boxLayer(preview) : null), [preview]);
  const layers = useMemo(
    () => [layer.layer, top.layer, ...(outline ? [outline] : []), ...(rim ? [rim] : [])],
    [layer.layer, top.layer, outline, rim],
  );
  const clips = useMemo(
    () =>
      preview
        ? []
        : [
            { layers: [layer.layer], side: "left" as const },
            { layers: [top.layer], side: "right" as const },
          ],
    [layer.layer, top.layer, preview],
  );
  useEffect(() => {
    top.layer.setVisible(!glancing);
  }, [glancing, top.layer]);
  // Inside a preview box the result lies over the whole input.
  useEffect(() => {
    top.layer.setExtent(preview ?? undefined);
  }, [preview, top.layer]);
  const done = useRef({ onField, onPreview });
  done.current = { onField, onPreview };
  useEffect(() => {
    const current = map.current;
    if (!marking || !current) {
      return;
    }
    const dragBox = new DragBox({ className: "field-box" });
    dragBox.on("boxend", () => {
      const e = dragBox.getGeometry().getExtent() as [number, number, number, number];
      if (marking === "preview") {
        done.current.onPreview(e);
        return;
      }
      const fieldBox = boxIn(input.info.grid, e);
      const ownFieldBox = boxIn(output.info.grid, e);
      done.current.onField(
        fieldBox && ownFieldBox ? { input: fieldBox, output: ownFieldBox } : null,
      );
    });
    current.addInteraction(dragBox);
    return () => {
      current.removeInteraction(dragBox);
    };
  }, [marking, input, output]);
  const single =
    pictures.output.bands.length === 1 && !levels
      ? output.info.bands[Math.min(pictures.output.bands[0]!, output.info.bands.length - 1)]
      : null;
  return (
    <MapPane
      view={view}
      layers={layers}
      label={`${names[0]} in and ${names[1]} out`}
      scale={!frame}
      curtain={glancing || preview ? null : curtain}
      clips={clips}
      onPointer={setAt}
      onMap={(m) => {
        map.current = m;
      }}
      onClick={(point) => {
        if (!marking && !frame) {
          onSpot?.(transformer(output.info.grid.crs, LONLAT)(...point));
        }
      }}
    >
      <Side name={names[0]} side="in" />
      {!glancing && <Side name={levels ? "Haze map" : names[1]} side="out" />}
      {!glancing && !preview && <Curtain at={curtain} onMove={setCurtain} what="in" />}
      <ReadOut
        at={at}
        sides={[
          { cells: layer.cells, bands: pictures.input.bands },
          { cells: top.cells, bands: levels ? [0] : pictures.output.bands },
        ]}
        grid={output.info.grid}
        sensor={frame ? sensor : null}
      />
      <div className="pointer-events-none absolute bottom-11 right-3 flex flex-col items-end gap-1.5">
        {levels && <ClassLegend title="haze levels" classes={levels.info.classes ?? []} />}
        {single && rampFor(single) !== "grey" && pictures.output.stretches && (
          <RampLegend
            name={single.name}
            unit={single.unit}
            ramp={rampById(rampFor(single))}
            stretch={pictures.output.stretches[0]!}
            breaks={null}
          />
        )}
      </div>
      {children}
    </MapPane>
  );
}
const HAZE_PICTURE: SidePicture = { bands: [0], stretches: null };

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
  sensor: StepNodes["sensor"];
  name: string;
  side: "in" | "out";
  picture: SidePicture;
}) {
  const { cells, layer } = useLayer(node, picture);
  const frame = isSensorFrame(node.info.grid.crs);
  const [at, setAt] = useState<[number, number] | null>(null);
  const area = useRef(study.studyArea);
  const view = useMemo(
    () => viewOf(node.info.grid, null, frame ? null : area.current),
    [node, frame],
  );
  const layers = useMemo(
    () => [
      layer,
      ...(!frame && study.studyArea ? [outlineLayer([study.studyArea], node.info.grid.crs)] : []),
    ],
    [layer, frame, study.studyArea, node],
  );
  return (
    <MapPane
      view={view}
      layers={layers}
      label={`${name}, ${side}`}
      scale={!frame}
      onPointer={setAt}
    >
      <Side name={name} side={side} />
      <ReadOut
        at={at}
        sides={[{ cells, bands: picture.bands }]}
        grid={node.info.grid}
        sensor={frame ? sensor : null}
      />
    </MapPane>
  );
}

const Side = ({ name, side }: { name: string; side: "in" | "out" }) => (
  <div
    className={`pointer-events-none absolute top-3 rounded-field bg-night/85 px-2.5 py-1 text-[11px] text-[#d5dbd8] ${side === "in" ? "left-3" : "right-3"}`}
  >
    <b className="mr-2 text-[12px] text-white">{name}</b>
    {side}
  </div>
);

/** Lines run with time, samples away from the sensor: where that puts east and north. */
const facing = (pass: "ascending" | "descending") =>
  pass === "descending" ? "east is left" : "south is up";

function ReadOut({
  at,
  sides,
  grid,
  sensor,
}: {
  at: [number, number] | null;
  sides: { cells: NodeCells; bands: number[] }[];
  grid: Grid;
  sensor: StepNodes["sensor"] | null;
}) {
  const place = at && !sensor ? transformer(grid.crs, LONLAT)(...at) : null;
  /** What a side shows at the cursor, band by band. */
  const say = ({ cells, bands }: (typeof sides)[0]): string => {
    const values = at ? cells.valueAt(...at) : null;
    const { info } = cells.node;
    if (!values) {
      return "–";
    }
    if (info.type === "class8") {
      return (
        info.classes?.find((classInfo) => classInfo.label === values.values[0])?.name ?? "none"
      );
    }
    return bands
      .map((b) => {
        const value = values.values[b];
        return value !== undefined && Number.isFinite(value)
          ? number(value, info.bands[b]?.unit === "dB" ? 1 : 3)
          : "–";
      })
      .join(" ");
  };
  const unit = sides[0]!.cells.node.info.bands[sides[0]!.bands[0]!]?.unit ?? "";
  return (
    <div className="pointer-events-none absolute bottom-3 left-3 rounded-field bg-night/85 px-2.5 py-1.5 font-mono text-[12px] leading-[17px] text-white">
      {sensor && <div className="text-[#c9d0cd]">sensor geometry · {facing(sensor)}</div>}
      {at ? (
        <div>
          {place
            ? degrees(...place)
            : `line ${number(Math.floor(-at[1]))}, sample ${number(Math.floor(at[0]))}`}{" "}
          · {sides.map(say).join(" → ")}
          {unit ? ` ${unit}` : ""}
        </div>
      ) : (
        !sensor && <div className="text-[#c9d0cd]">Point at the picture to read it</div>
      )}
    </div>
  );
}

/** Cells of a grid under a box on the map; null where it holds fewer than nine. */
function boxIn(grid: Grid, [x0, y0, x1, y1]: [number, number, number, number]): FieldBox | null {
  const [a, b] = toCell(grid, x0, y1);
  const [c, distance] = toCell(grid, x1, y0);
  const col = Math.max(0, Math.round(Math.min(a, c)));
  const row = Math.max(0, Math.round(Math.min(b, distance)));
  const right = Math.min(grid.width, Math.round(Math.max(a, c)));
  const bottom = Math.min(grid.height, Math.round(Math.max(b, distance)));
  return right - col >= 3 && bottom - row >= 3
    ? { col, row, width: Math.min(2000, right - col), height: Math.min(2000, bottom - row) }
    : null;
}

/** Nodes of a step for one scene, found again whenever the chain changes. */
export function useStepNodes(
  studyId: string,
  family: Family,
  sceneId: string | null,
  step: string,
  chainKey: string,
) {
  return useQuery({
    queryKey: ["stepNodes", studyId, family, sceneId, step, chainKey],
    queryFn: () =>
      api<StepNodes>("POST", `/studies/${studyId}/prepare/nodes?family=${family}`, {
        sceneId,
        step,
      }),
    enabled: !!sceneId,
    staleTime: Infinity,
    retry: false,
    placeholderData: (old) => old,
  });
}

/** Says why a step has no picture. */
export const StepProblem = ({ error }: { error: unknown }) => (
  <div className="m-auto mt-24 w-[440px]">
    <Problem>{sayError(error)}</Problem>
  </div>
);
