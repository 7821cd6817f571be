import { useState } from "react";
import type { CompareNodes, NodeView } from "../../api/types";
import type { Stretch } from "../../map/layers";
import { type Look, bandsOfLook, inCommon, joint, stretchesOf } from "../../map/look";
import { rampFor } from "../../map/ramps";
import { useFields } from "../../prepare/useFields";
import type { DateLook } from "./dateLayer";

const NO_BANDS: readonly number[] = [];

/** Stretches of the three bands of a look in a picture; null until they are known. */
function useStretches(node: NodeView | null, look: Look | null) {
  const bands = node && look ? bandsOfLook(node.info.bands, look) : NO_BANDS;
  const stretches = stretchesOf(useFields(node?.hash ?? null, null, bands));
  return bands.length === 3 && stretches ? { bands, stretches } : null;
}

/** What is drawn of each date: the band that is compared, or three bands of its picture. */
export interface DateLooks {
  /** The look that was chosen; null is the band that is compared. */
  look: Look | null;
  setLook(look: Look | null): void;
  /** Whether both dates are stretched alike. */
  held: boolean;
  setHeld(held: boolean): void;
  /** Ramp of the compared band while that is drawn; null while pictures are. */
  ramp: string | null;
  before: { node: NodeView; how: DateLook };
  after: { node: NodeView; how: DateLook };
}

/** Whether both dates are classified ones, that stand for themselves. */
export const isOfClasses = ({ before }: CompareNodes): boolean => before.info.type === "class8";

/** Looks of both dates. The compared band serves until the stretches of a picture are known. */
export function useDateLooks(nodes: CompareNodes, bandName: string, stretch: Stretch): DateLooks {
  const [look, setLook] = useState<Look | null>(null);
  const [held, setHeld] = useState(true);
  const pictures = look ? nodes.pictures : null;
  const before = useStretches(pictures?.before ?? null, look);
  const after = useStretches(pictures?.after ?? null, look);
  const choice = { look, setLook, held, setHeld };
  if (isOfClasses(nodes)) {
    const drawn = (node: NodeView, isMuted: boolean) => ({
      node,
      how: { kind: "classes" as const, classes: node.info.classes ?? [], isMuted },
    });
    return {
      ...choice,
      ramp: null,
      before: drawn(nodes.before, false),
      // What changed lies on it in the same colours.
      after: drawn(nodes.after, true),
    };
  }
  if (!pictures || !before || !after) {
    const ramp = rampFor({ ...nodes.before.info.bands[0]!, name: bandName });
    const how: DateLook = { kind: "band", ramp, stretch };
    return {
      ...choice,
      ramp,
      before: { node: nodes.before, how },
      after: { node: nodes.after, how },
    };
  }
  const both = held ? joint(before.stretches, after.stretches) : null;
  const drawn = (bands: readonly number[], own: Stretch[]): DateLook => {
    const stretches = both ?? own;
    return {
      kind: "picture",
      bands: bands.map((band) => band + 1),
      stretches: look === "natural" ? inCommon(stretches) : stretches,
    };
  };
  return {
    ...choice,
    ramp: null,
    before: { node: pictures.before, how: drawn(before.bands, before.stretches) },
    after: { node: pictures.after, how: drawn(after.bands, after.stretches) },
  };
}
