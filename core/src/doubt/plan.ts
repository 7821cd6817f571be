import type { Confirms } from "../change/second";
import type { RecordedEdits } from "../edit/recorded";
import type { NodeSpec } from "../graph/node";
import type { DoubtFrom } from "./mapDoubt";

/** Another date of a study, on the grid of a map. */
export interface OtherDate {
  sceneId: string;
  name: string;
  acquiredAt: string;
  /** Whether it lies before the pair; else it lies after it. */
  isEarlier: boolean;
  node: NodeSpec;
}

/** What the doubt of a map is counted from, as it is known when the map is written. */
export interface DoubtPlan {
  from: DoubtFrom;
  /** Both dates of the pair as they are compared. */
  pair: { before: NodeSpec; after: NodeSpec };
  others: OtherDate[];
}

/** Place of the measure among the bands of what a map was made from. */
export const MEASURE_BAND = 2;

/** What a map was made from, as far as it has to be looked at again. */
export interface MadeFrom {
  /** Both dates, measure and layers, where they count. */
  gated: NodeSpec;
  /** null where its doubt cannot be told. */
  doubt: DoubtPlan | null;
  /** What a second sensor is asked about it; absent in records that are older than this. */
  second?: AskedSecond | null;
  /** Its classes after each limit; absent in records that are older than this. */
  stages?: NodeSpec;
  /** Edits since, from map to map; absent where there were none, and in records that are older. */
  edits?: RecordedEdits[];
}

/** A layer of a second sensor on the grid of a map, and what confirms classes in it. */
export interface AskedSecond {
  confirms: Confirms;
  node: NodeSpec;
}
