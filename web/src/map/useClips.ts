import { type RefObject, useEffect, useEffectEvent } from "react";
import type OlMap from "ol/Map";
import type BaseLayer from "ol/layer/Base";
import RenderEvent from "ol/render/Event";
import type BaseEvent from "ol/events/Event";
import { getRenderPixel } from "ol/render";
import { getUid } from "ol/util";

/** Layers that are drawn on one side of the curtain only. */
export interface Clip {
  layers: BaseLayer[];
  side: "left" | "right";
}

/** The graphics card's context of a layer that is being drawn; null for other renderers. */
function cardOf(event: Event | BaseEvent): WebGLRenderingContext | null {
  const context = event instanceof RenderEvent ? event.context : null;
  return context && "scissor" in context ? context : null;
}

/**
 * Empties the picture before the first layer of a frame comes onto it. The library does so too, but only
 * where the scissors of that layer let it: what an earlier frame had left on the other side would stay.
 */
function emptyFirst({ frameState }: RenderEvent, card: WebGLRenderingContext): void {
  if (frameState && !frameState.renderTargets[getUid(card.canvas)]) {
    card.bindFramebuffer(card.FRAMEBUFFER, null);
    card.clearColor(0, 0, 0, 0);
    card.clear(card.COLOR_BUFFER_BIT | card.DEPTH_BUFFER_BIT);
  }
}

/** Cuts what is drawn next to one side of a curtain at `share` of the map's width. */
function cut(event: RenderEvent, map: OlMap, side: Clip["side"], share: number): void {
  const card = cardOf(event);
  const [width, height] = map.getSize() ?? [];
  if (!card || width === undefined || height === undefined) {
    return;
  }
  const bottomLeft = getRenderPixel(event, [side === "left" ? 0 : width * share, height]);
  const topRight = getRenderPixel(event, [side === "left" ? width * share : width, 0]);
  const [x0, y0] = [bottomLeft[0]!, bottomLeft[1]!];
  const [x1, y1] = [topRight[0]!, topRight[1]!];
  emptyFirst(event, card);
  card.enable(card.SCISSOR_TEST);
  card.scissor(
    Math.round(x0),
    Math.round(y0),
    Math.max(0, Math.round(x1 - x0)),
    Math.max(0, Math.round(y1 - y0)),
  );
}

/** Layers are cut by the graphics card's scissors: on before a layer is drawn, off after it. */
function cutLayer(layer: BaseLayer, apply: (event: RenderEvent) => void): () => void {
  const before = (event: Event | BaseEvent) => {
    if (event instanceof RenderEvent) {
      apply(event);
    }
  };
  const after = (event: Event | BaseEvent) => {
    const card = cardOf(event);
    card?.disable(card.SCISSOR_TEST);
  };
  layer.addEventListener("prerender", before);
  layer.addEventListener("postrender", after);
  return () => {
    layer.removeEventListener("prerender", before);
    layer.removeEventListener("postrender", after);
  };
}

/** Draws layers on their side of a curtain at `share` of the width; whole while that is null. */
export function useClips(
  map: RefObject<OlMap | null>,
  clips: Clip[] | undefined,
  share: number | null,
): void {
  const apply = useEffectEvent((event: RenderEvent, side: Clip["side"]) => {
    if (map.current && share !== null) {
      cut(event, map.current, side, share);
    }
  });
  useEffect(() => {
    map.current?.render();
  }, [map, share]);
  useEffect(() => {
    const off = (clips ?? []).flatMap(({ layers, side }) =>
      layers.map((layer) => cutLayer(layer, (event) => apply(event, side))),
    );
    map.current?.render();
    return () => off.forEach((end) => end());
  }, [map, clips]);
}
