import { useEffect, useMemo, useState } from "react";
import type OlMap from "ol/Map";
import type BaseLayer from "ol/layer/Base";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { CompareNodes, Study } from "../../api/types";
import { useSame } from "../../lib/useSame";
import type { Clip } from "../../map/useClips";
import { tilesOf } from "../../map/tiles";
import { twoDateLayer } from "../../map/twoDates";
import { useOutline } from "../../map/useOutline";
import { useUi } from "../../state/ui";
import { useDateLayer } from "./dateLayer";
import { useShownView } from "../../map/useShownView";
import { useClassLayer, useGroupLayer, useRuleLayer } from "./useClassLayers";
import type { GroupsOnMap, TwoDateLook } from "./types";
import { type DateLooks, isOfClasses } from "./useDateLooks";

interface Parts {
  study: Study;
  nodes: CompareNodes;
  setup: ChangeSetup;
  looks: DateLooks;
  twoDates: TwoDateLook;
  groups: GroupsOnMap | null;
  /** Whether the server's classes are those of the setup. */
  classesReady: boolean;
  /** Neither classes nor rules are drawn. */
  isBlind?: boolean;
  /** Drawn over the classes, on the side of after; null where nothing is. */
  over: BaseLayer | null;
  /** What lies over the classes is a picture, and takes the place of both. */
  isCovered: boolean;
  /** Drawn over everything else. */
  extra: BaseLayer[];
  /** The main map, once it is there. */
  map: OlMap | null;
}

/** Whether a layer that is ready has come onto the map with all of its tiles. */
function useDrawn(map: OlMap | null, layer: WebGLTileLayer, ready: boolean): boolean {
  const [drawn, setDrawn] = useState<WebGLTileLayer | null>(null);
  useEffect(() => {
    if (!ready || !map) {
      return;
    }
    const done = () => setDrawn(layer);
    map.once("rendercomplete", done);
    map.render();
    return () => {
      map.un("rendercomplete", done);
      setDrawn(null);
    };
  }, [map, ready, layer]);
  return ready && drawn === layer;
}

/**
 * Layers of both maps of a comparison, what of them shows, and which side of the curtain they
 * belong to. The rules on the graphics card show while settings move; the server's classes, with
 * all limits, take their place once they are drawn.
 */
export function useMapLayers({ study, nodes, setup, looks, twoDates, groups, ...rest }: Parts): {
  main: BaseLayer[];
  left: BaseLayer[];
  clips: Clip[];
} {
  const { classesReady, isBlind = false, extra, over, isCovered, map } = rest;
  const before = useDateLayer(looks.before);
  const after = useDateLayer(looks.after);
  const beforeAlone = useDateLayer(looks.before);
  const { how, stretch, changeEnd } = useSame(twoDates);
  const stack = tilesOf(nodes.stack);
  const blend = useMemo(
    () => twoDateLayer(stack, stretch, how, changeEnd),
    [stack, stretch, how, changeEnd],
  );
  const rules = useRuleLayer(nodes, setup);
  const classes = useClassLayer(nodes);
  const grouped = useGroupLayer(nodes, groups?.hidden ?? null);
  const outline = useOutline(study, nodes.before.info);
  const outlineAlone = useOutline(study, nodes.before.info);
  const drawn = useDrawn(map, classes, classesReady);

  const view = useShownView(!isOfClasses(nodes));
  const glancing = useUi((state) => state.glancing);
  const groupsShow = groups?.show === "groups";
  const byRule = groups === null;
  useEffect(() => {
    const blended = view === "blend" && !glancing;
    const overlay = view !== "blend" && !glancing;
    before.setVisible(view === "curtain" || glancing);
    after.setVisible(overlay && !isCovered);
    blend.setVisible(blended);
    const shows = overlay && !isBlind && !isCovered;
    classes.setVisible(shows && classesReady && !groupsShow);
    grouped?.setVisible(shows && groupsShow);
    rules.setVisible(shows && byRule && !drawn);
    over?.setVisible(overlay);
  }, [
    view,
    glancing,
    groupsShow,
    byRule,
    classesReady,
    isBlind,
    isCovered,
    drawn,
    before,
    after,
    blend,
    classes,
    grouped,
    rules,
    over,
  ]);

  return {
    main: useMemo(
      () => [
        ...[before, after, blend, rules, classes],
        ...(grouped ? [grouped] : []),
        ...(over ? [over] : []),
        ...outline,
        ...extra,
      ],
      [before, after, blend, rules, classes, grouped, over, outline, extra],
    ),
    left: useMemo(() => [beforeAlone, ...outlineAlone], [beforeAlone, outlineAlone]),
    clips: useMemo(
      () => [
        { layers: [before], side: "left" },
        {
          layers: [after, rules, classes, grouped, over].filter((layer) => layer !== null),
          side: "right",
        },
      ],
      [before, after, rules, classes, grouped, over],
    ),
  };
}
