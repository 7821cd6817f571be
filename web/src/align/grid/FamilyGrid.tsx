import type { PrepareAnswer } from "@hindglance/contract/prepare";
import { type Family, gridOf, looksIn } from "@hindglance/core/chain/family";
import { nativeCellM, proposeGrid } from "@hindglance/core/chain/proposeGrid";
import { type Crs, isGeographic } from "@hindglance/core/geodesy/crs";
import { ontoGlobe } from "@hindglance/core/grid/globe";
import { type Grid, outline } from "@hindglance/core/grid/grid";
import { shownCellM } from "@hindglance/core/grid/metres";
import type { Scene, Study } from "../../api/types";
import { number } from "../../lib/format";
import { GridSystem } from "../../prepare/GridSystem";
import { Button } from "../../ui/Button";
import { Row } from "../../ui/Labelled";
import { NumberField } from "../../ui/NumberField";
import { gridWords } from "./gridWords";
import type { ChainGrid } from "./useChainGrid";

/**
 * Cells that the study's own images of a family have on the ground, in metres: radar after its
 * looks; null where nothing says so.
 */
function nativeOf(family: Family, scenes: readonly Scene[], view: PrepareAnswer): number | null {
  const ids = view.rows.map((row) => row.sceneId);
  const info = scenes.find((scene) => ids.includes(scene.id) && scene.info)?.info;
  if (!info) {
    return null;
  }
  if (family === "optical") {
    return shownCellM(info.grid);
  }
  const { sensor } = info;
  return sensor
    ? nativeCellM(sensor.sampleSpacingM, sensor.lineSpacingM, ...looksIn(family, view.chain))
    : null;
}

/** What is to be covered: the study area, or the grid as it is. */
function groundOf(study: Study, grid: Grid): [number, number][] {
  const toLonLat = ontoGlobe(grid);
  return (
    study.studyArea?.coordinates.flatMap((polygon) => polygon[0]!) ??
    outline(grid).map(([x, y]) => toLonLat(x, y))
  );
}

interface Props {
  study: Study;
  scenes: readonly Scene[];
  chain: ChainGrid;
  /** Whether the family is named, because there is another one. */
  named: boolean;
}

/** The grid of one family's dates: its cells, its system, and what the images themselves have. */
export function FamilyGrid({ study, scenes, chain, named }: Props) {
  const { family, view, busy, set } = chain;
  if (!view) {
    return null;
  }
  const grid = gridOf(family, view.chain);
  const cellM = shownCellM(grid);
  const ground = groundOf(study, grid);
  const own = nativeOf(family, scenes, view);
  const proposed = proposeGrid(ground, own ?? cellM);
  const regrid = (metres: number, crs: Crs) => set(proposeGrid(ground, metres, crs));
  return (
    <div className="mb-2">
      {named && <h3 className="mb-1 font-medium capitalize">{family}</h3>}
      <Row label="Cell size, m">
        <span className="flex items-center gap-2">
          {busy && <span className="text-label text-soft">saving …</span>}
          <NumberField
            label={`Cell size of ${family} dates`}
            decimals={cellM % 1 ? 1 : 0}
            step={1}
            min={1}
            max={5000}
            value={cellM}
            onCommit={(metres) => regrid(metres, grid.crs)}
          />
        </span>
      </Row>
      <GridSystem
        crs={grid.crs}
        proposed={proposed.crs}
        near={ground[0]!}
        onPick={(crs) => regrid(cellM, crs)}
      />
      <GridLine grid={grid} />
      {own !== null && <Proposal grid={grid} proposed={proposed} own={own} set={set} />}
      <ToRun view={view} />
    </div>
  );
}

function GridLine({ grid }: { grid: Grid }) {
  const decimals = isGeographic(grid.crs) ? 4 : 0;
  const { transform } = grid;
  return (
    <p className="text-label text-soft">
      {gridWords(grid)}, first corner {number(transform[0], decimals)},{" "}
      {number(transform[3], decimals)}.
    </p>
  );
}

interface ProposalProps {
  grid: Grid;
  proposed: Grid;
  /** Metres of the images' own cells. */
  own: number;
  set(grid: Grid): void;
}

/** Offers the images' own cells in the zone that fits, where the grid has others. */
function Proposal({ grid, proposed, own, set }: ProposalProps) {
  const fits =
    proposed.crs.code === grid.crs.code && Math.abs(shownCellM(proposed) - shownCellM(grid)) < 1e-9;
  return fits ? (
    <p className="text-label text-soft">These are the images' own cells in the zone that fits.</p>
  ) : (
    <div className="mt-1 flex items-center justify-between gap-2">
      <span className="text-label text-soft">
        The images' own: {number(own, own % 1 ? 1 : 0)} m, {proposed.crs.name ?? proposed.crs.code}
      </span>
      <Button className="h-7" onClick={() => set(proposed)}>
        Take them
      </Button>
    </div>
  );
}

/** How many dates are still to be run on the grid. */
function ToRun({ view }: { view: PrepareAnswer }) {
  const ready = view.rows.filter((row) => row.ready).length;
  const left = view.rows.length - ready;
  if (left === 0) {
    return null;
  }
  return (
    <p className="mt-1 text-label text-warnink">
      {ready > 0
        ? `${left} ${left === 1 ? "date is" : "dates are"} to be run anew in Prepare.`
        : "No date is run on this grid yet; pictures are computed as they are looked at. See Prepare."}
    </p>
  );
}
