import type { Exposure } from "@hindglance/contract/exposure";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { zoneName } from "@hindglance/core/tally/zoneName";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import { classNames } from "@hindglance/core/tally/classNames";
import { csvLine } from "@hindglance/formats/tables/csv";
import { rounded } from "./rounded";

/** Names of the classes of a map, also of what has none. */
function namesOf(info: ImageInfo): (label: number) => string {
  const nameOf = classNames(info);
  return (label) => (label === CLASS_NODATA ? "Not seen" : nameOf(label));
}

const UNITS = { point: "points", line: "km", polygon: "km2" } as const;
const SCALES = { point: 1, line: 1e-3, polygon: 1e-6 } as const;

/** How a map is written of: names of its classes and zones. */
interface Words {
  className(label: number): string;
  zoneName(zone: number): string;
}

function peopleLines({ people }: Exposure, words: Words): string[] {
  if (!people) {
    return [];
  }
  return [
    csvLine([]),
    csvLine(["zone", "class", "people", people.name]),
    ...people.sums.entries.map(([key, count]) =>
      csvLine([
        words.zoneName(Math.floor(key / 256)),
        words.className(key % 256),
        rounded(count, 3),
      ]),
    ),
    csvLine(["beside the map", "", rounded(people.sums.beyond, 3)]),
  ];
}

function coverLines({ cover }: Exposure, words: Words): string[] {
  if (!cover) {
    return [];
  }
  const covers = new Map(cover.classes.map(({ label, name }) => [label, name]));
  return [
    csvLine([]),
    csvLine(["zone", "class", "land cover", "cells", "km2", cover.name]),
    ...cover.sums.map(({ zone, label, cover: own, cells, areaM2 }) =>
      csvLine([
        ...[words.zoneName(zone), words.className(label), covers.get(own) ?? String(own), cells],
        rounded(areaM2 / 1e6, 6),
      ]),
    ),
  ];
}

const ASSET_HEAD = [
  ...["layer", "asset", "longitude", "latitude", "zone", "class", "amount", "unit"],
  ...["deepest m", "mean depth m"],
];

function assetLines({ layers, listed }: Exposure, words: Words): string[] {
  if (layers.length === 0) {
    return [];
  }
  return [
    csvLine([]),
    csvLine(["layer", "zone", "class", "assets", "amount", "unit"]),
    ...layers.flatMap(({ name, sums }) =>
      sums.map(({ shape, zone, label, count, amount }) =>
        csvLine([
          ...[name, words.zoneName(zone), words.className(label), count],
          ...[rounded(amount * SCALES[shape], 6), UNITS[shape]],
        ]),
      ),
    ),
    csvLine([]),
    csvLine(ASSET_HEAD),
    ...listed.flatMap(({ layer, name, shape, parts, depth, at }) =>
      parts.map(({ zone, label, amount }) =>
        csvLine([
          ...[layers[layer]!.name, name, rounded(at[0], 6), rounded(at[1], 6)],
          ...[words.zoneName(zone), words.className(label)],
          ...[rounded(amount * SCALES[shape], 6), UNITS[shape]],
          ...(depth ? [rounded(depth.deepestM, 2), rounded(depth.meanM, 2)] : ["", ""]),
        ]),
      ),
    ),
  ];
}

const CUT_HEAD = [
  ...["road cut", "longitude", "latitude", "zone", "m", "stretches", "deepest m"],
  ...["from", "to", "dry way round m"],
];

function cutLines({ cuts }: Exposure, words: Words): string[] {
  if (cuts.length === 0) {
    return [];
  }
  return [
    csvLine([]),
    csvLine(CUT_HEAD),
    ...cuts.map(({ name, at, zone, metres, stretches, deepestM, connects, aroundM }) =>
      csvLine([
        ...[name, rounded(at[0], 6), rounded(at[1], 6), words.zoneName(zone)],
        ...[rounded(metres, 1), stretches, deepestM === null ? "" : rounded(deepestM, 2)],
        ...[connects[0] ?? "", connects[1] ?? ""],
        aroundM === null ? "none" : rounded(aroundM, 0),
      ]),
    ),
  ];
}

/** Who and what lies under the classes of a map as CSV: people, land cover, assets one by one, roads cut. */
export function exposureCsv(exposure: Exposure, info: ImageInfo, map: string): string {
  const words: Words = {
    className: namesOf(info),
    zoneName: (zone) => zoneName(exposure.zones, zone),
  };
  return [
    csvLine(["map", map]),
    csvLine(["counted", exposure.countedAt]),
    ...peopleLines(exposure, words),
    ...coverLines(exposure, words),
    ...assetLines(exposure, words),
    ...cutLines(exposure, words),
  ].join("");
}
