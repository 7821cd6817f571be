import { useMemo, useState } from "react";
import type { OffsetPlace } from "@hindglance/core/align/alignment";
import { ontoGlobe } from "@hindglance/core/grid/globe";
import type { Study } from "../../api/types";
import { degrees } from "../../lib/format";
import { useSame } from "../../lib/useSame";
import { Curtain } from "../../map/Curtain";
import { MapPane } from "../../map/MapPane";
import { TwoSides } from "../../map/TwoSides";
import { viewOf } from "../../map/mapView";
import { useCursor } from "../../map/useCursor";
import { useUi } from "../../state/ui";
import { Chip } from "../../ui/Chip";
import { cx } from "../../ui/cx";
import type { CheckNodes } from "../align";
import { ARROW_TIMES, useCheckLayers } from "./useCheckLayers";

interface Props {
  study: Study;
  nodes: CheckNodes;
  /** Of the reference and of the date. */
  names: [string, string];
  /** The offset whose residuals can be shown. */
  place: OffsetPlace | null;
  aligned: boolean;
  onAligned(on: boolean): void;
  /** Whether Align does anything to the date. */
  moved: boolean;
}

/**
 * A date over its reference in one band: pair, curtain, blend, glance; edges of both over it; what
 * single windows lie off the fit.
 */
export function CheckMaps({ study, nodes, names, place, aligned, onAligned, moved }: Props) {
  const cursor = useCursor();
  const [edges, setEdges] = useState(false);
  const [arrows, setArrows] = useState(true);
  const grid = useSame(nodes.reference.info.grid);
  const area = study.studyArea;
  const olView = useMemo(() => viewOf(grid, null, area), [grid, area]);
  const layers = useCheckLayers({ study, nodes, place, edges, arrows });
  const standing = aligned ? "Aligned" : "As it came";
  return (
    <TwoSides
      cursor={cursor}
      glance={{ to: "see the reference", at: "Reference" }}
      left={{
        view: olView,
        layers: layers.left,
        label: "Map of the reference",
        tag: <Tag name={names[0]} what="Reference" />,
      }}
      main={
        <MainMap
          {...{ names, olView, layers, cursor, edges }}
          what={moved ? standing : "Date"}
          place={cursor.at && ontoGlobe(grid)(...cursor.at)}
        />
      }
    >
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
    </TwoSides>
  );
}

interface MainProps {
  names: [string, string];
  olView: ReturnType<typeof viewOf>;
  layers: ReturnType<typeof useCheckLayers>;
  cursor: ReturnType<typeof useCursor>;
  edges: boolean;
  /** What the date is called on its side. */
  what: string;
  /** Where the cursor is, in longitude and latitude. */
  place: [number, number] | null;
}

/** The map that every view has: the date over its reference. */
function MainMap({ names, olView, layers, cursor, edges, what, place }: MainProps) {
  const view = useUi((state) => state.view);
  const glancing = useUi((state) => state.glancing);
  const [curtain, setCurtain] = useState(0.5);
  const curtained = view === "curtain" && !glancing;
  return (
    <MapPane
      view={olView}
      layers={layers.main}
      label={`${names[1]} over ${names[0]}`}
      scale
      curtain={curtained ? curtain : null}
      clips={layers.clips}
      onPointer={cursor.pointer("right")}
      twin={cursor.twinOf("right")}
    >
      {(view === "curtain" || glancing) && <Tag name={names[0]} what="Reference" />}
      {!glancing && view !== "blend" && <Tag name={names[1]} what={what} right />}
      {curtained && <Curtain at={curtain} onMove={setCurtain} what="reference" />}
      {place && (
        <div className="pointer-events-none absolute bottom-3 left-3 rounded-field bg-night/85 px-2.5 py-1.5 font-mono text-[12px] leading-[17px] text-white">
          {degrees(...place)}
        </div>
      )}
      {edges && !glancing && (
        <div className="pointer-events-none absolute bottom-11 right-3 rounded-field bg-night/85 px-2.5 py-1 text-label text-[#d5dbd8]">
          edges: <b className="text-[#8fb3e6]">reference</b> ·{" "}
          <b className="text-[#eb9a73]">date</b>
        </div>
      )}
    </MapPane>
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
