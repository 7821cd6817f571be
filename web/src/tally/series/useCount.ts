import { useMemo, useState } from "react";
import { useZones } from "../../api/hooks";
import type { Scene, Side, Study } from "../../api/types";
import type { SceneKind } from "../../compare/pair";
import { type CountedBand, type SeriesAsk, bandsOfKind, usualCount, waterOf } from "./series";

/** Bands that tell most about a hazard. */
const TELLING: Partial<Record<NonNullable<Study["hazard"]>, RegExp>> = {
  fire: /nbr/i,
  flood: /ndwi|^vv$/i,
};
const TELLING_ELSE = /evi|ndvi/i;

function usualBand(study: Study, bands: readonly CountedBand[]): CountedBand {
  const telling = (study.hazard && TELLING[study.hazard]) ?? TELLING_ELSE;
  return bands.find((band) => telling.test(band.key)) ?? bands[0]!;
}

/** Looks of radar scenes that do not say. */
const USUAL_LOOKS = 4.4;

function speckleOf(study: Study, sides: readonly Side[]): SeriesAsk["speckle"] {
  return (
    study.compare?.setup?.speckle ?? {
      filter: "refinedLee",
      windowCells: 7,
      looks: sides.find((side) => side.looks !== null)?.looks ?? USUAL_LOOKS,
    }
  );
}

/** A switch that a button turns, and what it is called; absent where there is nothing to switch. */
export interface Switch {
  name: string;
  on: boolean;
  turn(): void;
}

/**
 * What is counted on every date: band, threshold, name and ground. Each begins with what is usual
 * for the study; another band or kind begins anew.
 */
export function useCount(study: Study, scenes: Scene[], sides: Side[], kinds: SceneKind[]) {
  const zones = useZones(study.id).data ?? [];
  const [kind, setKind] = useState(kinds[0]!);
  const [bandKey, setBandKey] = useState<string | null>(null);
  const [inArea, setInArea] = useState(!!study.studyArea);
  const [byZone, setByZone] = useState(true);
  const bands = useMemo(() => bandsOfKind(kind, scenes, sides), [kind, scenes, sides]);
  const band = bands.find((choice) => choice.key === bandKey) ?? usualBand(study, bands);
  const usual = usualCount(band.key, band.power, waterOf(study));
  const [own, setOwn] = useState<Partial<typeof usual>>({});
  const count = { ...usual, ...own };
  const ask: SeriesAsk = {
    kind,
    band: band.key,
    op: count.op,
    value: count.value,
    speckle: speckleOf(study, sides),
    studyArea: inArea,
    zones: byZone && zones.length > 0,
  };
  const area: Switch = { name: "inside study area", on: inArea, turn: () => setInArea(!inArea) };
  const zoned: Switch = {
    name: `by ${zones[0]?.name.toLowerCase() ?? "zone"}`,
    on: byZone,
    turn: () => setByZone(!byZone),
  };
  return {
    kind,
    bands,
    band,
    usualName: usual.name,
    count,
    ask,
    switches: [...(study.studyArea ? [area] : []), ...(zones.length > 0 ? [zoned] : [])],
    change: (part: Partial<typeof usual>) => setOwn((before) => ({ ...before, ...part })),
    setKind: (next: SceneKind) => {
      setKind(next);
      setBandKey(null);
      setOwn({});
    },
    setBand: (next: string) => {
      setBandKey(next);
      setOwn({});
    },
  };
}

/** What is counted, and how it is changed. */
export type Count = ReturnType<typeof useCount>;
