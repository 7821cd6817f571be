import { InputError } from "@hindglance/core/errors";
import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, nodeHash, sourceNode } from "@hindglance/core/graph/node";
import { onGrid } from "@hindglance/core/graph/onGrid";
import { versionOf } from "@hindglance/core/graph/registry";
import { isGeographic, utm } from "@hindglance/core/geodesy/crs";
import { ontoGlobe } from "@hindglance/core/grid/globe";
import { type Grid, squareNorthUp, toMap } from "@hindglance/core/grid/grid";
import { gridInSystem } from "@hindglance/core/grid/inSystem";
import { COMBINATIONS, bandsOfCombination } from "@hindglance/core/optical/wavelengths";
import type { ChangeMap } from "../db/changeMaps";
import type { Database } from "../db/pool";
import { AppError } from "../errors";
import type { StoredSources } from "../eval/sources";
import { type Comparison, type Side, comparisonOf } from "../products/comparison";
import type { ClassStyles, DatePicture, SheetImages } from "./pictures";

/** What the pictures of a map are found with. */
export interface Finding {
  db: Database;
  sources: StoredSources;
  evaluator: Evaluator;
}

/** Images of a sheet, why dates are not among them, and what is to be said of them. */
export interface FoundImages {
  images: SheetImages;
  lacks: string | null;
  warnings: string[];
}

/** The grid of the maps of a sheet: that of the map, in metres and north up. */
export function sheetGrid({ grid }: ImageInfo): Grid {
  if (!isGeographic(grid.crs)) {
    return squareNorthUp(grid);
  }
  const [lon, lat] = ontoGlobe(grid)(...toMap(grid, grid.width / 2, grid.height / 2));
  const zone = Math.min(60, Math.max(1, Math.floor((lon + 180) / 6) + 1));
  return gridInSystem(grid, utm(zone, lat < 0), null);
}

const isReflectance = ({ info }: Side): boolean =>
  info.bands.some(({ role }) => role === "reflectance");

/** Nodes of both dates and the bands of them that are drawn: colours as the eye sees them, or one band. */
function drawnOf(compared: Comparison, grid: Grid) {
  const { before, after, nodes } = compared;
  if (isReflectance(before) && isReflectance(after)) {
    const combination = COMBINATIONS.find(
      ({ id }) =>
        bandsOfCombination(before.info.bands, id) && bandsOfCombination(after.info.bands, id),
    );
    if (combination) {
      const of = (side: Side) => ({
        node: onGrid(side.node, side.info, grid),
        bands: bandsOfCombination(side.info.bands, combination.id)!,
      });
      return { before: of(before), after: of(after), isNatural: combination.id === "natural" };
    }
  }
  return {
    before: { node: nodes.before, bands: [0] },
    after: { node: nodes.after, bands: [0] },
    isNatural: false,
  };
}

/** Both dates by their bands. */
async function bandPictures(
  evaluator: Evaluator,
  compared: Comparison,
  grid: Grid,
): Promise<{ before: DatePicture; after: DatePicture }> {
  const { before, after, isNatural } = drawnOf(compared, grid);
  const of = async ({ node, bands }: { node: NodeSpec; bands: readonly number[] }) => {
    const info = await evaluator.info(node);
    return { kind: "bands" as const, node: onGrid(node, info, grid), bands, isNatural };
  };
  return { before: await of(before), after: await of(after) };
}

/** Both classified dates in their own colours; what they are is told by the legend of the dates. */
async function classPictures(evaluator: Evaluator, { nodes }: Comparison, grid: Grid) {
  const of = async (spec: NodeSpec): Promise<DatePicture> => {
    const info = await evaluator.info(spec);
    const styles = new Map(
      (info.classes ?? []).map(({ label, color }) => [label, { color, pattern: "plain" as const }]),
    );
    return { kind: "classes", node: onGrid(spec, info, grid), styles };
  };
  return { before: await of(nodes.before), after: await of(nodes.after) };
}

/** Both dates of a map as they are prepared now. @throws InputError, AppError where they cannot be had */
async function datesOf({ db, sources, evaluator }: Finding, map: ChangeMap, grid: Grid) {
  const { scenes } = map.provenance;
  if (!scenes) {
    throw new InputError("The map is older than the record of its scenes");
  }
  const compared = await comparisonOf({ db, sources }, map.studyId, {
    ...scenes,
    setup: map.setup,
  });
  const { type } = await evaluator.info(compared.nodes.before);
  const pictures = await (type === "class8" ? classPictures : bandPictures)(
    evaluator,
    compared,
    grid,
  );
  const isSame =
    map.edited !== null || nodeHash(compared.nodes.classes, versionOf) === map.nodeHash;
  return { ...pictures, isSame };
}

const CHANGED =
  "Pictures of the dates show them as they are prepared now; since the map was written that has changed.";

/**
 * Images of the pictures of a map's sheet. Dates that cannot be had any more are left out, and it is told
 * why.
 * @param grid that pictures are painted from
 */
export async function imagesOfSheet(
  finding: Finding,
  map: ChangeMap,
  info: ImageInfo,
  styles: ClassStyles,
  grid = sheetGrid(info),
): Promise<FoundImages> {
  const classes = { node: onGrid(sourceNode(map.imageId), info, grid), styles };
  try {
    const { before, after, isSame } = await datesOf(finding, map, grid);
    const warnings = isSame ? [] : [CHANGED];
    return { images: { grid, before, after, classes }, lacks: null, warnings };
  } catch (error) {
    if (!(error instanceof InputError) && !(error instanceof AppError)) {
      throw error;
    }
    const lacks = `This date cannot be drawn any more: ${error.message}`;
    return { images: { grid, before: null, after: null, classes }, lacks, warnings: [] };
  }
}

/** Images of a sheet as a text: pictures of the same one are alike. */
export const imagesKey = ({ grid, before, after, classes }: SheetImages): string => {
  const dated = (date: DatePicture | null) =>
    date?.kind === "classes" ? [date.node, [...date.styles]] : date;
  return JSON.stringify([grid, dated(before), dated(after), classes.node, [...classes.styles]]);
};
