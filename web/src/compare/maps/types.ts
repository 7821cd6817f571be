import type { Stretch } from "../../map/layers";
import type { TwoDate } from "../../map/twoDates";

/** Where classes come from groups: groups that are switched off, and what lies on the map. */
export interface GroupsOnMap {
  hidden: ReadonlySet<number>;
  show: "groups" | "classes";
}

/** How both dates are put into one picture. */
export interface TwoDateLook {
  how: TwoDate;
  stretch: Stretch;
  /** End of the measure's usual range, the same on both sides of nought. */
  changeEnd: number;
}

/** A place on a map, in its own coordinates. */
export type Place = [number, number];
