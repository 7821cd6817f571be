import simplify from "simplify-js";
import { type Outcome, wholeOutcome } from "@hindglance/core/accuracy/outcome";
import { areaOnGrid } from "@hindglance/core/change/areaOnGrid";
import { probableArea } from "@hindglance/core/doubt/areas";
import type { Estimate } from "@hindglance/core/accuracy/estimates";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { ontoGlobe, ontoGrid } from "@hindglance/core/grid/globe";
import { type Grid, outline } from "@hindglance/core/grid/grid";
import type { Ranged, Rings, SheetClass, SheetFacts } from "@hindglance/core/sheet/facts";
import type { Ground } from "@hindglance/core/sheet/marks";
import { patternByLabel } from "@hindglance/core/sheet/tables";
import { type MultiPolygon, multiPolygonFrom } from "@hindglance/core/vector/polygons";
import type { Exposure } from "@hindglance/contract/exposure";
import { type ChangeMap, type Patch, queryPatches } from "../db/changeMaps";
import { findExposure } from "../db/exposure";
import type { Client } from "../db/pool";
import { listSamples } from "../db/samples";
import { findResult } from "../products/sampleResult";
import { zonesOfMap } from "../products/zonePolygons";
import type { TestOfMap } from "../report/accuracyTable";
import { tallyRows } from "../report/tallyTable";
import { type Finding, type FoundImages, imagesOfSheet, sheetGrid } from "./images";
import { landAround } from "./land";
import type { ClassStyles } from "./pictures";
import { moment, noteSections, sceneText, sourceSections } from "./words";

/** What is known of a map beside itself. */
interface Beside {
  test: TestOfMap | null;
  outcome: Outcome | null;
  exposure: Exposure | null;
  /** Its largest patch that is no ground of no change; null where it has none. */
  largest: Omit<Patch, "geometry"> | null;
  zones: MultiPolygon[];
}

const ANY = {
  ...{ labels: null, standings: null, zone: null, within: null, leastM2: null, mostM2: null },
  ...{ measureFrom: null, measureTo: null, elevationFrom: null, elevationTo: null },
  ...{ doubtFrom: null, doubtTo: null, first: null, sort: "area" as const, down: true },
};

async function besideOf(client: Client, map: ChangeMap, grid: Grid): Promise<Beside> {
  const samples = await listSamples(client, map.id);
  const sample = samples.find(({ interpreters }) => interpreters.length > 0);
  const test = sample ? { sample, result: await findResult(client, sample.id) } : null;
  const { patches } = await queryPatches(client, map.id, ANY, 0, 1);
  return {
    test,
    outcome: test && wholeOutcome(test.sample, test.result),
    exposure: await findExposure(client, map.id),
    largest: patches[0] ?? null,
    zones: (await zonesOfMap(client, map, grid)).map(({ polygons }) => polygons),
  };
}

const rangedOf = (estimate: Estimate | null | undefined): Ranged | null =>
  estimate ? { value: estimate.value, low: estimate.low, high: estimate.high } : null;

/** Classes of a map with all that is known of how much there is of each. */
function classesOf(map: ChangeMap, info: ImageInfo, { outcome }: Beside): SheetClass[] {
  const said = outcome?.accuracy?.classes ?? [];
  return tallyRows(map, info)
    .filter(({ zone, label }) => zone === null && label > 0)
    .map(({ label, name, color, areaM2 }) => {
      const probable = map.doubt && probableArea(map.doubt.sums, label, null);
      const own = said.find((one) => one.label === label);
      return {
        ...{ label, name, color, areaM2 },
        probable: probable && {
          value: probable.areaM2,
          low: Math.max(0, probable.areaM2 - probable.halfM2),
          high: probable.areaM2 + probable.halfM2,
        },
        adjusted: rangedOf(own?.area),
        users: rangedOf(own?.users),
        producers: rangedOf(own?.producers),
      };
    });
}

/** Colours and patterns of classes by their labels. */
function stylesOf(classes: readonly SheetClass[]): ClassStyles {
  const patterns = patternByLabel({ classes });
  return new Map(
    classes.map(({ label, color }) => [label, { color, pattern: patterns.get(label) ?? "plain" }]),
  );
}

const groundOfGrid = (grid: Grid): Ground => {
  const ring = outline(grid, 1);
  const [xs, ys] = [ring.map(([x]) => x), ring.map(([, y]) => y)];
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
};

/** The detail shows the largest patch so many times over, and no less and no more of the map than that. */
const AROUND = 2.2;
const LEAST_SHARE = 0.12;
const MOST_SHARE = 0.5;

/** Ground around the largest patch; null where the map has none. */
function detailOf({ largest }: Beside, grid: Grid): Ground | null {
  if (!largest) {
    return null;
  }
  const onto = ontoGrid(grid);
  const [west, south] = onto(largest.west, largest.south);
  const [east, north] = onto(largest.east, largest.north);
  const [x, y] = [(west + east) / 2, (south + north) / 2];
  const whole = groundOfGrid(grid);
  const side = Math.max(whole[2] - whole[0], whole[3] - whole[1]);
  const wanted = AROUND * Math.max(Math.abs(east - west), Math.abs(north - south));
  const half = Math.min(MOST_SHARE * side, Math.max(LEAST_SHARE * side, wanted)) / 2;
  return [x - half, y - half, x + half, y + half];
}

/** Part of the side of a map by which outlines are drawn coarser than they are. */
const FINE = 4000;

const ringsOf = (polygons: MultiPolygon, tolerance: number): Rings =>
  polygons.flat().map((ring) =>
    simplify(
      ring.map(([x, y]) => ({ x, y })),
      tolerance,
      true,
    ).map(({ x, y }) => [x, y] as const),
  );

const LAND_DEG = 75;

/** A sheet's facts with the images of its pictures. */
export interface SheetMaterial {
  facts: SheetFacts;
  found: FoundImages;
}

/** Study area of a map on its grid; null where it had none. */
function areaOf({ provenance: { studyArea } }: ChangeMap, grid: Grid): MultiPolygon | null {
  return studyArea ? areaOnGrid(multiPolygonFrom(studyArea), grid) : null;
}

/** Everything that the sheet of a map tells, as it is known now, and what its pictures are drawn from. */
export async function sheetMaterial(
  finding: Finding,
  map: ChangeMap,
  info: ImageInfo,
): Promise<SheetMaterial> {
  const { provenance } = map;
  const grid = sheetGrid(info);
  const beside = await finding.db.withTransaction((client) => besideOf(client, map, grid));
  const classes = classesOf(map, info, beside);
  const styles = stylesOf(classes);
  const found = await imagesOfSheet(finding, map, info, styles);
  const ground = groundOfGrid(grid);
  const tolerance = (ground[2] - ground[0]) / FINE;
  const middle = ontoGlobe(grid)((ground[0] + ground[2]) / 2, (ground[1] + ground[3]) / 2);
  const area = areaOf(map, grid);
  const warnings = [...(provenance.warnings ?? []), ...found.warnings];
  const dated = (scene: typeof provenance.before) => ({
    caption: sceneText(scene),
    lacks: found.lacks,
  });
  const event = provenance.event ? `Event of ${moment(provenance.event)}. ` : "";
  const rows = tallyRows(map, info).filter(({ zone }) => zone === null);
  return {
    found,
    facts: {
      title: map.name,
      subtitle: `${provenance.study}. ${event}Compared: ${whenOf(provenance.before)} with ${whenOf(provenance.after)}.`,
      ...{ crs: grid.crs, ground, classes },
      sides: {
        before: dated(provenance.before),
        after: dated(provenance.after),
        change: {
          caption: found.lacks ? "" : "classes over the after date, in pale grey",
          lacks: null,
        },
      },
      detail: detailOf(beside, grid),
      seenM2: rows.reduce((sum, { areaM2 }) => sum + areaM2, 0),
      sources: sourceSections(map),
      notes: noteSections(map, classes, beside, warnings),
      studyArea: area && ringsOf(area, tolerance),
      zones: beside.zones.flatMap((zone) => ringsOf(zone, tolerance)),
      land: landAround(middle, LAND_DEG),
      made: `${provenance.program}, map written ${moment(provenance.writtenAt)}, identity ${map.nodeHash.slice(0, 12)}`,
    },
  };
}

/** When a scene was taken, or its name where nobody knows. */
const whenOf = ({ acquiredAt, name }: ChangeMap["provenance"]["before"]): string =>
  acquiredAt ? moment(acquiredAt) : name;
