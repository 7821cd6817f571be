import { createHash } from "node:crypto";
import type { Note } from "@hindglance/core/change/firstMap/words";
import { lookName, lookUnit } from "@hindglance/core/change/second";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { positionDoubt } from "@hindglance/core/grid/doubt";
import type { Provenance, SceneRecord } from "../db/changeMaps";
import type { Scene, Zones } from "../db/scenes";
import type { Comparison } from "./comparison";
import { iso } from "./time";

/** What made a change map, as it stands in its provenance. */
export const PROGRAM = "Hind Glance 0.1.0";

/** A scene as a provenance names it; `band`: the one that was compared. */
export function sceneRecord(scene: Scene, band?: string): SceneRecord {
  const position = scene.info && positionDoubt(scene.info.grid);
  return {
    name: scene.name,
    file: scene.fileName,
    sha256: scene.fileSha256,
    acquiredAt: scene.acquiredAt ? iso(scene.acquiredAt) : null,
    size: scene.fileSize,
    ...(band ? { band } : {}),
    ...(position ? { position } : {}),
    ...(scene.detail.answers ? { answers: scene.detail.answers } : {}),
    ...(scene.detail.parts ? { files: scene.detail.parts } : {}),
  };
}

/** Names of the zones of a layer, by the property that holds them. */
export const zoneNames = (zone: Zones | null): string[] =>
  zone ? zone.polygons.map((feature) => String(feature.properties[zone.nameField])) : [];

/** Corner, cells and system of a grid in one line. */
function gridText({ grid }: ImageInfo): string {
  const [x, width, , y, , height] = grid.transform;
  const cells = `${Math.abs(width)} x ${Math.abs(height)} cells`;
  return `${grid.crs.code}, ${cells}, ${grid.width} x ${grid.height}, first corner ${x}, ${y}`;
}

/** What a map was made with besides its pair. */
interface Beside {
  zone: Zones | null;
  cover: Scene | null;
  covers: { before: Scene; after: Scene } | null;
  evidence: Note[] | null;
}

const classifiedDates = (covers: Beside["covers"]): Pick<Provenance, "covers"> =>
  covers
    ? { covers: { before: sceneRecord(covers.before), after: sceneRecord(covers.after) } }
    : {};

/** Dates of the series that the measure looked at, where it did. */
const seriesRecords = ({ series }: Comparison): Pick<Provenance, "series"> => {
  const records = (scenes: readonly Scene[]) => scenes.map((scene) => sceneRecord(scene));
  return series
    ? { series: { normal: records(series.normal), watched: records(series.watched) } }
    : {};
};

/** What a second sensor saw near the dates, where one is asked. */
function secondRecord({ second, setup }: Comparison): Pick<Provenance, "second"> {
  if (!second?.after || !setup.second) {
    return {};
  }
  const { look } = setup.second;
  return {
    second: {
      look: lookName(look),
      unit: second.sides.after ? lookUnit(look, second.sides.after.info) : "",
      before: second.before && sceneRecord(second.before),
      after: sceneRecord(second.after),
    },
  };
}

/**
 * Everything that says how a change map came about.
 * @param map address of the classes and what is known of them
 * @param beside zones that areas are counted by, the classified raster that rules look at, those that
 * classes come from, and what the pair itself shows, where there are any
 */
export function provenanceOf(
  compared: Comparison,
  map: { hash: string; info: ImageInfo },
  { zone, cover, covers, evidence }: Beside,
): Provenance {
  const { study, before, after, elevation, nodes, setup, warnings } = compared;
  const band = before.info.bands[setup.band]!;
  return {
    study: study.name,
    event: study.eventAt ? iso(study.eventAt) : null,
    program: PROGRAM,
    writtenAt: new Date().toISOString(),
    nodeHash: map.hash,
    ...(cover ? { cover: sceneRecord(cover) } : {}),
    ...classifiedDates(covers),
    scenes: { beforeId: before.id, afterId: after.id },
    before: sceneRecord(before, band.name),
    after: sceneRecord(after, band.name),
    elevation: elevation && nodes.slope ? sceneRecord(elevation) : null,
    zones: zone
      ? { name: zone.name, file: zone.fileName, sha256: zone.fileSha256, names: zoneNames(zone) }
      : null,
    studyAreaSha256: study.studyArea
      ? createHash("sha256").update(JSON.stringify(study.studyArea)).digest("hex")
      : null,
    studyArea: study.studyArea ?? null,
    ...(before.prepared || after.prepared
      ? { prepared: { before: before.prepared, after: after.prepared } }
      : {}),
    ...(before.align || after.align
      ? { aligned: { before: before.align, after: after.align } }
      : {}),
    unit: nodes.before.step === "radar.decibel" ? "dB" : band.unit,
    grid: gridText(map.info),
    setup,
    ...seriesRecords(compared),
    ...secondRecord(compared),
    ...(evidence ? { evidence } : {}),
    ...(warnings.length > 0 ? { warnings } : {}),
  };
}
