import { type ReactNode, useEffect, useRef } from "react";
import OlMap from "ol/Map";
import type View from "ol/View";
import type BaseLayer from "ol/layer/Base";
import type RenderEvent from "ol/render/Event";
import Overlay from "ol/Overlay";
import { defaults as interactions } from "ol/interaction/defaults";
import { ScaleLine } from "ol/control";
import { getRenderPixel } from "ol/render";

export interface Clip {
  layers: BaseLayer[];
  side: "left" | "right";
}

interface Props {
  view: View;
  layers: BaseLayer[];
  label: string;
  scale?: boolean;
  /** Only to look at: takes no focus and has no name. */
  still?: boolean;
  /** Share of the width left of which the 'left' layers are drawn. */
  curtain?: number | null;
  clips?: Clip[];
  /** Where the cursor is on the other map of a pair. */
  twin?: [number, number] | null;
  onPointer?(at: [number, number] | null): void;
  onClick?: ((at: [number, number]) => void) | undefined;
  onMap?(map: OlMap): void;
  children?: ReactNode;
}

/** One map. Layers and view belong to the caller; this only hangs them up. */
export function MapPane({
  view,
  layers,
  label,
  scale,
  still,
  curtain = null,
  clips,
  twin,
  onPointer,
  onClick,
  onMap,
  children,
}: Props) {
  const box = useRef<HTMLDivElement>(null);
  const map = useRef<OlMap | null>(null);
  const cross = useRef<Overlay | null>(null);
  const pointer = useRef<Props["onPointer"]>(onPointer);
  const made = useRef<Props["onMap"]>(onMap);
  const clicked = useRef<Props["onClick"]>(onClick);
  const split = useRef(curtain);
  pointer.current = onPointer;
  made.current = onMap;
  clicked.current = onClick;

  useEffect(() => {
    const m = new OlMap({
      target: box.current!,
      controls: [],
      interactions: interactions({ altShiftDragRotate: false, pinchRotate: false }),
      keyboardEventTarget: box.current!,
    });
    const el = document.createElement("div");
    el.className = "twin-cursor";
    cross.current = new Overlay({ element: el, positioning: "center-center", stopEvent: false });
    m.addOverlay(cross.current);
    m.on("pointermove", (e) => {
      pointer.current?.(e.coordinate as [number, number]);
    });
    m.on("click", (e) => {
      clicked.current?.(e.coordinate as [number, number]);
    });
    const leave = () => pointer.current?.(null);
    m.getViewport()!.addEventListener("pointerleave", leave);
    // Says whether tiles are still on their way; from the start, until the first picture is whole.
    box.current!.dataset.loading = "true";
    m.once("rendercomplete", () => {
      if (box.current) {
        box.current.dataset.loading = "false";
      }
    });
    m.on("loadstart", () => {
      if (box.current) {
        box.current.dataset.loading = "true";
      }
    });
    m.on("loadend", () => {
      if (box.current) {
        box.current.dataset.loading = "false";
      }
    });
    map.current = m;
    made.current?.(m);
    return () => {
      m.getViewport()!.removeEventListener("pointerleave", leave);
      m.setTarget(undefined);
      m.setLayers([]);
      m.dispose();
      map.current = null;
    };
  }, []);

  useEffect(() => {
    map.current?.setView(view);
  }, [view]);
  useEffect(() => {
    map.current?.setLayers(layers);
    return () => {
      map.current?.setLayers([]);
    };
  }, [layers]);
  useEffect(() => {
    if (!scale) {
      return;
    }
    const scaleLine = new ScaleLine({ className: "map-scale", minWidth: 80 });
    map.current?.addControl(scaleLine);
    return () => {
      map.current?.removeControl(scaleLine);
    };
  }, [scale]);
  useEffect(() => {
    cross.current?.setPosition(twin ?? undefined);
  }, [twin]);
  useEffect(() => {
    split.current = curtain;
    map.current?.render();
  }, [curtain]);

  useEffect(() => {
    if (!clips) {
      return;
    }
    // Layers are cut by the graphics card's scissors; other renderers cut their canvas.
    const before = (side: Clip["side"]) => (e: RenderEvent) => {
      const size = map.current?.getSize();
      const at = split.current;
      if (!size || at === null) {
        return;
      }
      const gl = e.context as WebGL2RenderingContext | CanvasRenderingContext2D | null;
      if (!gl || !("scissor" in gl)) {
        return;
      }
      const [w, h] = size as [number, number];
      const bl = getRenderPixel(e, [side === "left" ? 0 : w * at, h]);
      const tr = getRenderPixel(e, [side === "left" ? w * at : w, 0]);
      gl.enable(gl.SCISSOR_TEST);
      gl.scissor(
        Math.round(bl[0]!),
        Math.round(bl[1]!),
        Math.max(0, Math.round(tr[0]! - bl[0]!)),
        Math.max(0, Math.round(tr[1]! - bl[1]!)),
      );
    };
    const after = (e: RenderEvent) => {
      const gl = e.context as WebGL2RenderingContext | CanvasRenderingContext2D | null;
      if (gl && "scissor" in gl) {
        gl.disable(gl.SCISSOR_TEST);
      }
    };
    const off: (() => void)[] = [];
    for (const clip of clips) {
      for (const layer of clip.layers) {
        const apply = before(clip.side);
        layer.on("prerender" as never, apply as never);
        layer.on("postrender" as never, after as never);
        off.push(() => {
          layer.un("prerender" as never, apply as never);
          layer.un("postrender" as never, after as never);
        });
      }
    }
    map.current?.render();
    return () => off.forEach((apply) => apply());
  }, [clips]);

  return (
    <div className="relative h-full w-full">
      <div
        ref={box}
        {...(still ? {} : { tabIndex: 0, role: "application", "aria-label": label })}
        className="h-full w-full"
      />
      <div className="map-loading" aria-hidden>
        Computing the picture …
      </div>
      {children}
    </div>
  );
}
