import { useEffect, useMemo, useState } from "react";
import type { OffsetPlace } from "@hindglance/core/align/alignment";
import { pathFunction } from "@hindglance/core/align/mapping";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { quantile } from "@hindglance/core/raster/histogram";
import type { Study } from "../api/types";
import { Curtain } from "../compare/Curtain";
import { degrees } from "../lib/format";
import { outlineLayer } from "../map/areaLayer";
import { arrowLayer } from "../map/arrowLayer";
import { type Stretch, blendLayer, edgeLayer, greyLayer, sourceOf, viewOf } from "../map/layers";
import { joint, stretchesOf } from "../map/look";
import { MapPane } from "../map/MapPane";
import { NodeCells } from "../map/nodeCells";
import { ViewChoice } from "../map/ViewChoice";
import { useField, useFields } from "../prepare/useFields";
import { useUi } from "../state/ui";
import { Chip, cx } from "../ui/controls";
import type { CheckNodes } from "./align";

/** Arrows are so many times as long as what they stand for. */
const ARROW_TIMES = 100;
const UNKNOWN: Stretch = { lo: 0, hi: 1 };

/**
 * A date over its reference in one band: pair, curtain, blend, glance; edges of both over it; what
 * single windows lie off the fit.
 */
export function CheckMaps({
  study,
  nodes,
  names,
  place,
  aligned,
  onAligned,
  moved,
}: {
  study: Study;
  nodes: CheckNodes;
  names: [string, string];
  place: OffsetPlace | null;
  aligned: boolean;
  onAligned(on: boolean): void;
  moved: boolean;
}) {
  const view = useUi((s) => s.view);
  const glancing = useUi((s) => s.glancing);
  const [curtain, setCurtain] = useState(0.5);
  const [at, setAt] = useState<[number, number] | null>(null);
  const [over, setOver] = useState<"left" | "right" | null>(null);
  const [edges, setEdges] = useState(false);
  const [arrows, setArrows] = useState(true);
  const grid = nodes.reference.info.grid;
  const gridKey = JSON.stringify(grid);
  const area = study.studyArea;
  const olView = useMemo(
    () => viewOf(JSON.parse(gridKey) as typeof grid, null, area),
    [gridKey, area],
  );
  const cells = useMemo(
    () => ({ reference: new NodeCells(nodes.reference), date: new NodeCells(nodes.date) }),
    [nodes],
  );
  const sources = useMemo(
    () => ({
      reference: sourceOf(cells.reference),
      date: sourceOf(cells.date),
      both: sourceOf(new NodeCells(nodes.both)),
      edgesReference: sourceOf(new NodeCells(nodes.edges.reference)),
      edgesDate: sourceOf(new NodeCells(nodes.edges.date)),
    }),
    [cells, nodes],
  );
  const fr = useFields(nodes.reference.hash, null, [0]);
  const fd = useFields(nodes.date.hash, null, [0]);
  const er = useField(edges ? nodes.edges.reference.hash : null, null);
  const ed = useField(edges ? nodes.edges.date.hash : null, null);
  const sr = stretchesOf(fr);
  const sd = stretchesOf(fd);
  // Each date on its own stretch: here places are compared, not values. The blend needs one for
  // both.
  const stretch = JSON.stringify([
    sr?.[0] ?? UNKNOWN,
    sd?.[0] ?? UNKNOWN,
    sr && sd ? joint(sr, sd)[0] : UNKNOWN,
  ]);
  const ends = (field: typeof er): Stretch =>
    field && field.cells
      ? {
          lo: quantile(field.histogram, 0.85),
          hi: Math.max(quantile(field.histogram, 0.97), quantile(field.histogram, 0.85) + 1e-9),
        }
      : { lo: 1e8, hi: 1e9 };
  const edgeEnds = JSON.stringify([ends(er), ends(ed)]);
  const drawn = useMemo(() => {
    const [a, b, both] = JSON.parse(stretch) as Stretch[];
    return {
      reference: greyLayer(sources.reference, a!),
      left: greyLayer(sources.reference, a!),
      date: greyLayer(sources.date, b!),
      blend: blendLayer(sources.both, both!),
    };
  }, [sources, stretch]);
  const rims = useMemo(() => {
    const [a, b] = JSON.parse(edgeEnds) as Stretch[];
    return {
      reference: edgeLayer(sources.edgesReference, a!, "#5b8fdc"),
      date: edgeLayer(sources.edgesDate, b!, "#e8763f"),
    };
  }, [sources, edgeEnds]);
  const pointing = useMemo(() => {
    if (!place) {
      return null;
    }
    const fraction = pathFunction(place.path);
    return arrowLayer(
      place.matches.map((match) => {
        const [x, y] = fraction(match.x, match.y);
        return {
          at: [match.x, match.y],
          to: [
            match.x + ARROW_TIMES * (match.x + match.dx - x),
            match.y + ARROW_TIMES * (match.y + match.dy - y),
          ],
          kept: match.kept,
        };
      }),
    );
  }, [place]);
  const outline = useMemo(
    () => (area ? outlineLayer([area], (JSON.parse(gridKey) as typeof grid).crs) : null),
    [area, gridKey],
  );
  const layers = useMemo(
    () => [
      drawn.reference,
      drawn.date,
      drawn.blend,
      rims.reference,
      rims.date,
      ...(outline ? [outline] : []),
      ...(pointing ? [pointing] : []),
    ],
    [drawn, rims, outline, pointing],
  );
  const clips = useMemo(
    () => [
      { layers: [drawn.reference], side: "left" as const },
      { layers: [drawn.date], side: "right" as const },
    ],
    [drawn],
  );
  const leftLayers = useMemo(() => [drawn.left], [drawn]);
  useEffect(() => {
    drawn.reference.setVisible(glancing || view === "curtain");
    drawn.date.setVisible(!glancing && view !== "blend");
    drawn.blend.setVisible(!glancing && view === "blend");
    rims.reference.setVisible(edges && !glancing);
    rims.date.setVisible(edges && !glancing);
    pointing?.setVisible(arrows && !glancing);
  }, [drawn, rims, pointing, edges, arrows, view, glancing]);
  const pointer = (side: "left" | "right") => (point: [number, number] | null) => {
    setAt(point);
    setOver(point ? side : null);
  };
  const lonLat = at ? transformer(grid.crs, LONLAT)(...at) : null;
  return (
    <div className="relative flex h-full">
      {view === "pair" && (
        <div className="h-full min-w-0 flex-1 border-r-2 border-paper">
          <MapPane
            view={olView}
            layers={leftLayers}
            label="Map of the reference"
            onPointer={pointer("left")}
            twin={over === "right" ? at : null}
          >
            <Tag name={names[0]} what="Reference" />
          </MapPane>
        </div>
      )}
      <div className="relative h-full min-w-0 flex-1">
        <MapPane
          view={olView}
          layers={layers}
          label={`${names[1]} over ${names[0]}`}
          scale
          curtain={view === "curtain" && !glancing ? curtain : null}
          clips={clips}
          onPointer={pointer("right")}
          twin={over === "left" ? at : null}
        >
          {(view === "curtain" || glancing) && <Tag name={names[0]} what="Reference" />}
          {!glancing && view !== "blend" && (
            <Tag
              name={names[1]}
              what={moved ? (aligned ? "Aligned" : "As it came") : "Date"}
              right
            />
          )}
          {view === "curtain" && !glancing && (
            <Curtain at={curtain} onMove={setCurtain} what="reference" />
          )}
          {lonLat && (
            <div className="pointer-events-none absolute bottom-3 left-3 rounded-field bg-night/85 px-2.5 py-1.5 font-mono text-[12px] leading-[17px] text-white">
              {degrees(...lonLat)}
            </div>
          )}
          {edges && !glancing && (
            <div className="pointer-events-none absolute bottom-11 right-3 rounded-field bg-night/85 px-2.5 py-1 text-label text-[#d5dbd8]">
              edges: <b className="text-[#8fb3e6]">reference</b> ·{" "}
              <b className="text-[#eb9a73]">date</b>
            </div>
          )}
        </MapPane>
        <div className="pointer-events-none absolute bottom-3 left-1/2 -translate-x-1/2 whitespace-nowrap rounded-field bg-night/85 px-3 py-1.5 text-[12px] text-[#dfe5e2]">
          {glancing ? (
            "Reference"
          ) : (
            <>
              Hold{" "}
              <kbd className="mx-1 rounded border border-[#5f6b68] px-1.5 font-sans">Space</kbd> to
              see the reference
            </>
          )}
        </div>
      </div>
      <ViewChoice />
      <div className="absolute right-3 top-12 z-10 flex items-center gap-1.5 rounded-card bg-night/85 p-1">
        {moved && (
          <Chip
            on={aligned}
            aria-pressed={aligned}
            title="Off: the date as it came"
            onClick={() => onAligned(!aligned)}
          >
            Aligned
          </Chip>
        )}
        <Chip
          on={edges}
          aria-pressed={edges}
          title="Edges of both pictures over each other"
          onClick={() => setEdges(!edges)}
        >
          Edges
        </Chip>
        {place && (
          <Chip
            on={arrows}
            aria-pressed={arrows}
            title={`What each window lies off the fit, ${ARROW_TIMES} times as long; left-out windows are dashed`}
            onClick={() => setArrows(!arrows)}
          >
            Residuals × {ARROW_TIMES}
          </Chip>
        )}
      </div>
    </div>
  );
}

const Tag = ({ name, what, right }: { name: string; what: string; right?: boolean }) => (
  <div
    className={cx(
      "pointer-events-none absolute top-3 max-w-[44%] truncate rounded-field bg-night/85 px-2.5 py-1 text-[11px] text-[#d5dbd8]",
      right ? "right-3" : "left-3",
    )}
  >
    <b className="mr-2 text-[12px] text-white">{what}</b>
    {name}
  </div>
);
