import { type SmallThing, scatterThings } from "../smallThings";
import { GROUND_SIDE, LAND, type Landscape } from "./landscape";

/** Small things of a landscape, where the flood does not reach. */
export function smallThingsOn(ground: Landscape, seed: number): SmallThing[] {
  const on =
    (...lands: number[]) =>
    (i: number) =>
      lands.includes(ground.land[i]!) && ground.water[i] === ground.flooded[i];
  const fits = {
    vehicles: on(LAND.field, LAND.sand),
    stand: on(LAND.pasture),
    boat: on(LAND.water),
    building: on(LAND.town),
  };
  return scatterThings({ width: GROUND_SIDE, height: GROUND_SIDE, fits }, seed);
}
