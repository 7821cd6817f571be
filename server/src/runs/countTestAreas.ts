import { type KnownArea, countAreas } from "@hindglance/core/accuracy/testAreas";
import { strataOf } from "@hindglance/core/accuracy/draw";
import { cellAreas } from "@hindglance/core/grid/area";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { createSample } from "../db/samples";
import { addToLedger, touchStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import type { RunKind } from "./kind";
import { runsOfImage } from "./mapPatches";

/** What a run that tests a map on areas is told. */
export interface TestAreasParams {
  sampleId: string;
  changeMapId: string;
  name: string;
  areas: KnownArea[];
  mapImageId: string;
  mapInfo: ImageInfo;
}

/** Counts the cells of a map under areas of known class, and keeps that beside its samples. */
export const countTestAreas: RunKind<TestAreasParams> = {
  phases: () => [{ name: "Counting test areas", weight: 1 }],
  ranges: async () => [1],
  async work(_phase, _seq, params, ctx) {
    const { mapImageId, mapInfo, sampleId, changeMapId, name, areas } = params;
    const runs = await runsOfImage(mapImageId, mapInfo.grid, ctx);
    const counts = countAreas(runs, mapInfo.grid, areas);
    if (counts.length === 0) {
      throw new AppError(
        422,
        "elsewhere",
        `No cell of the map lies in an area of ${name}`,
        "areas",
        "Areas come in longitude and latitude, or in a file that says its coordinate system.",
      );
    }
    const sample = {
      ...{ id: sampleId, changeMapId, name, nearCells: 0, zones: [] },
      design: { drawing: "areas", seed: 0, units: {}, count: areas.length } as const,
      strata: strataOf(runs, cellAreas(mapInfo.grid), null),
      areaCounts: counts,
    };
    return {
      write: async (client) => {
        if (!(await createSample(client, sample, []))) {
          throw notFound("change map");
        }
      },
    };
  },
  async finish({ changeMapId, sampleId, name, areas }, _results, client, run) {
    const told = { changeMap: changeMapId, sample: sampleId, name, areas: areas.length };
    await addToLedger(client, run.studyId!, "Map tested on areas", told);
    await touchStudy(client, run.studyId!);
    return { sampleId };
  },
  discard: async () => {},
};
