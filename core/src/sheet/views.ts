import { LONLAT, transformer } from "../geodesy/crs";
import type { SheetFacts } from "./facts";
import { type MapKind, type Sheet, newSheet } from "./layout";
import type { Ground } from "./marks";
import { metresAt, middleOf } from "./scale";

/** Room around the ground of a map, as a share of it. */
const ROOM = 0.02;

const withRoom = ([west, south, east, north]: Ground): Ground => {
  const [across, down] = [(east - west) * ROOM, (north - south) * ROOM];
  return [west - across, south - down, east + across, north + down];
};

/** Ground that a map shows: as it was picked, else the detail's own, else all of the map. */
export function groundOf(kind: MapKind, { views }: Sheet, facts: SheetFacts): Ground {
  const view = views.find((one) => one.kind === kind);
  if (view) {
    const [x, y] = transformer(LONLAT, facts.crs)(view.longitude, view.latitude);
    const half = view.acrossM / metresOfFacts(facts) / 2;
    // How much is seen from north to south follows from the frame.
    return [x - half, y, x + half, y];
  }
  return withRoom((kind === "detail" ? facts.detail : null) ?? facts.ground);
}

/** Metres of ground that a unit of the system stands for in the middle of the map; scales of its maps are by it. */
export const metresOfFacts = ({ crs, ground }: SheetFacts): number =>
  metresAt(crs, middleOf(ground));

/** The sheet of a map on which nobody has set anything. */
export const proposedSheet = ({ ground: [west, south, east, north] }: SheetFacts): Sheet =>
  newSheet((east - west) / (north - south));
