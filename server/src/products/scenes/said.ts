import type { VerticalDatum } from "@hindglance/core/graph/image";
import type { SceneKind } from "@hindglance/core/scene/kinds";
import type { Lender } from "../../db/pool";
import type { Rescale, Submit } from "../plans";

/** What a person, or an archive, says of a scene beyond its files. */
export interface SaidOfScene {
  kind: SceneKind;
  name?: string;
  acquiredAt?: string | null;
  bands?: { polarisation?: string | null; unit?: string | null }[];
  vertical?: VerticalDatum | null;
  /** Cell size of the bands that an optical scene takes, where there are several. */
  cellM?: number;
  /** Bands of other cell sizes come along on these cells. */
  bring?: boolean;
  /** EPSG code of a picture whose files give a transform only. */
  epsg?: number;
  /** What the numbers stand for, where the file does not say. */
  rescale?: Rescale | null;
  /** Numbers that 32 bits do not hold may be rounded. */
  rounded?: boolean;
  detail?: Record<string, unknown>;
}

/** What a scene is made with. */
export interface SceneServices {
  db: Lender;
  submit: Submit;
}
