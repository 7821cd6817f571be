import type { Study } from "../../api/types";
import type { Setting } from "../../form/setting";
import type { BoardRow, PrepareView } from "../chainState";

/** What the fields of a step's form know besides the step's own settings. */
export interface About {
  study: Study;
  view: PrepareView;
  /** The date that is looked at. */
  row: BoardRow | null;
  /** The date whose own settings are changed; null: those of every date. */
  onlyScene: string | null;
  /** Equivalent looks of the marked field, where one is marked. */
  measuredLooks: number | null;
}

/** What a field that looks at the study is given. */
export type AboutSetting<F> = Setting<F> & { about: About };
