import { NO_SAMPLE } from "@hindglance/contract/files";
import { settled } from "@hindglance/core/accuracy/looks";
import { isNearChange } from "@hindglance/core/accuracy/sample";
import { zoneName } from "@hindglance/core/tally/zoneName";
import { classNames } from "@hindglance/core/tally/classNames";
import { featureCollection } from "@hindglance/formats/tables/geojson";
import type { Sample } from "@hindglance/contract/accuracy";
import { type LabelledPlace, labelledPlaces, listSamples } from "../db/samples";
import type { FileKind, FileSource } from "./kind";

const samplesOf = async ({ db, map }: FileSource): Promise<Sample[]> =>
  (await db.withClient((client) => listSamples(client, map.id))).filter(({ places }) => places > 0);

/** What is said of a place by all who looked. */
function referenceOf({ looks }: LabelledPlace, nameOf: (label: number) => string) {
  const found = settled(looks.map(({ label }) => label));
  return {
    state: found.state,
    reference: found.state === "known" ? nameOf(found.reference) : null,
  };
}

/** A place as a feature: what the map says there, what each person saw, and how many cells it stands for. */
function featureOf(place: LabelledPlace, sample: Sample, source: FileSource) {
  const nameOf = classNames(source.info);
  const stratum = sample.strata.find(({ id }) => id === place.stratum);
  const zones = source.map.provenance.zones?.names;
  return {
    type: "Feature",
    id: `${sample.id}/${place.number}`,
    geometry: { type: "Point", coordinates: [place.lon, place.lat] },
    properties: {
      ...{ sample: sample.name, drawing: sample.design.drawing, number: place.number },
      map_class: nameOf(place.label),
      near_change: stratum ? isNearChange(stratum) : false,
      stratum_cells: stratum?.cells ?? null,
      stratum_places: place.stratumPlaces,
      ...(zones ? { zone: zoneName(zones, place.zone) } : {}),
      ...referenceOf(place, nameOf),
      looks: place.looks.map(({ interpreter, label, note }) => ({
        by: interpreter,
        saw: label === null ? null : nameOf(label),
        note,
      })),
    },
  };
}

/** Places of every sample of a map with what each person saw there. */
export const sample: FileKind = {
  extension: "sample.geojson",
  media: "application/geo+json",
  title: "sample",
  isPacked: false,
  lacks: async (source) => ((await samplesOf(source)).length > 0 ? null : NO_SAMPLE),
  async *bytes(source) {
    const features = [];
    for (const one of await samplesOf(source)) {
      const places = await source.db.withClient((client) => labelledPlaces(client, one.id));
      features.push(...places.map((place) => featureOf(place, one, source)));
    }
    for (const text of featureCollection(features, { name: source.map.name })) {
      yield Buffer.from(text);
    }
  },
};
