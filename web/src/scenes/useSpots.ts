import { useCallback, useMemo, useState } from "react";
import { useSides } from "../api/hooks";
import type { Scene } from "../api/types";
import { usePins, useValues } from "../pins/pins";
import { type Pin, type Place, pinState } from "../pins/values";
import type { PlaceMark } from "./picture/useSceneLayers";

const NO_PINS: Pin[] = [];

/** A place that is looked at; `pin`: the pin that it is, if any. */
export interface Spot {
  place: Place;
  pin: string | null;
}

/** Pins of a study with their values, and the place that is looked at, as marks on the map. */
export function useSpots(studyId: string, scenes: Scene[] | undefined) {
  const [spot, setSpot] = useState<Spot | null>(null);
  const pins = usePins(studyId).data ?? NO_PINS;
  const sides = useSides(studyId).data;
  // Values may change with the chain, with scenes and with elevation.
  const hashes = sides?.map((side) => side.hash).join() ?? "";
  const images = scenes?.map((scene) => scene.imageId).join() ?? "";
  const version = `${hashes}.${images}`;
  const places = useMemo(() => pins.map((pin): Place => [pin.lon, pin.lat]), [pins]);
  const values = useValues(studyId, places, 3, version).data;
  const marks = useMemo((): PlaceMark[] => {
    const own = pins.map((pin, i) => ({
      place: [pin.lon, pin.lat] as Place,
      height: values?.heights[i] ?? 0,
      name: pin.name,
      state: pinState(pin, i, values).state,
    }));
    return spot && !spot.pin
      ? [...own, { place: spot.place, height: 0, name: "", state: "spot" }]
      : own;
  }, [pins, values, spot]);
  const lookAt = useCallback((place: Place) => setSpot({ place, pin: null }), []);
  return { spot, setSpot, pins, values, version, marks, lookAt };
}
