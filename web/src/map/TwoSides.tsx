import type { ReactNode } from "react";
import type View from "ol/View";
import type BaseLayer from "ol/layer/Base";
import { useUi } from "../state/ui";
import { MapPane } from "./MapPane";
import type { useCursor } from "./useCursor";
import { useShownView } from "./useShownView";
import { ViewChoice } from "./ViewChoice";

interface Props {
  /** The map of the left side, which only the pair has. */
  left: { view: View; layers: BaseLayer[]; label: string; tag: ReactNode };
  cursor: ReturnType<typeof useCursor>;
  /** The map that every view has. */
  main: ReactNode;
  /** What the space bar is for, and what is shown while it is held. */
  glance: { to: string; at: string };
  /** What lies over the maps. */
  children?: ReactNode;
  /** Whether both sides can be blended in one picture. */
  isBlended?: boolean;
}

/** Two sides that are looked at beside or over each other: pair, curtain, blend, one, glance. */
export function TwoSides({ left, cursor, main, glance, children, isBlended = true }: Props) {
  const view = useShownView(isBlended);
  return (
    <div className="relative flex h-full">
      {view === "pair" && (
        <div className="h-full min-w-0 flex-1 border-r-2 border-paper">
          <MapPane
            view={left.view}
            layers={left.layers}
            label={left.label}
            onPointer={cursor.pointer("left")}
            twin={cursor.twinOf("left")}
          >
            {left.tag}
          </MapPane>
        </div>
      )}
      <div className="relative h-full min-w-0 flex-1">
        {main}
        <GlanceHint {...glance} />
      </div>
      <ViewChoice view={view} isBlended={isBlended} />
      {children}
    </div>
  );
}

/** Says what the space bar shows, and while it does, that it does. */
function GlanceHint({ to, at }: Props["glance"]) {
  const glancing = useUi((state) => state.glancing);
  return (
    <div className="pointer-events-none absolute bottom-3 left-1/2 -translate-x-1/2 whitespace-nowrap rounded-field bg-night/85 px-3 py-1.5 text-[12px] text-[#dfe5e2]">
      {glancing ? (
        at
      ) : (
        <>
          Hold <kbd className="mx-1 rounded border border-[#5f6b68] px-1.5 font-sans">Space</kbd> to{" "}
          {to}
        </>
      )}
    </div>
  );
}
