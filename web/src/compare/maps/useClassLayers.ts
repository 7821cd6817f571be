import { useEffect, useMemo } from "react";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import { layerLimits } from "@hindglance/core/change/limits/all";
import { rulesOn } from "@hindglance/core/change/rules";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { CompareNodes } from "../../api/types";
import { useSame } from "../../lib/useSame";
import { classLayer } from "../../map/layers";
import { ruleLayer, ruleShape, ruleVariables } from "../../map/ruleLayer";
import { tilesOf } from "../../map/tiles";

/** Classes of a comparison as the graphics card makes them from rules and limits at once. */
export function useRuleLayer(nodes: CompareNodes, setup: ChangeSetup): WebGLTileLayer {
  const source = tilesOf(nodes.gated);
  const bands = nodes.gated.info.bands.map((band) => band.name);
  const limits = layerLimits(setup.limits);
  const rules = rulesOn(setup.rules);
  const shape = useSame(ruleShape(rules, limits, bands));
  const variables = useSame(ruleVariables(rules, limits));
  const layer = useMemo(() => ruleLayer(source, shape), [source, shape]);
  useEffect(() => {
    layer.updateStyleVariables(variables);
  }, [layer, variables]);
  return layer;
}

/** Classes as the server made them, with every limit. */
export function useClassLayer({ classes }: CompareNodes): WebGLTileLayer {
  const source = tilesOf(classes);
  const look = useSame(classes.info.classes ?? []);
  return useMemo(() => classLayer(source, look), [source, look]);
}

/** Groups before they are given to classes; null where the classes come from rules. */
export function useGroupLayer(
  nodes: CompareNodes,
  hidden: ReadonlySet<number> | null,
): WebGLTileLayer | null {
  const groups = nodes.groups?.groups ?? null;
  const source = groups && tilesOf(groups);
  const shown = useSame((groups?.info.classes ?? []).filter((group) => !hidden?.has(group.label)));
  return useMemo(() => source && classLayer(source, shown, 0.8), [source, shown]);
}
