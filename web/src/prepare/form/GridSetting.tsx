import { proposeGrid } from "@hindglance/core/chain/proposeGrid";
import { type Crs, isGeographic } from "@hindglance/core/geodesy/crs";
import { ontoGlobe } from "@hindglance/core/grid/globe";
import { type Grid, outline } from "@hindglance/core/grid/grid";
import type { Study } from "../../api/types";
import { number } from "../../lib/format";
import { NumberField } from "../../ui/NumberField";
import { Row } from "../../ui/Labelled";
import { GridSystem } from "../GridSystem";
import type { AboutSetting } from "./about";
import type { Field } from "@hindglance/core/form/fields";
import { shownCellM } from "@hindglance/core/grid/metres";

type GridFieldOf = Extract<Field, { kind: "grid" }>;
type GridSizeOf = Extract<Field, { kind: "gridSize" }>;

const gridIn = (own: Readonly<Record<string, unknown>>, at: string): Grid => own[at] as Grid;

/** Corners of the study area, or of the grid where there is none, lon/lat. */
function cornersOf(study: Study, grid: Grid): [number, number][] {
  const to = ontoGlobe(grid);
  return (
    study.studyArea?.coordinates.flatMap((polygon) => polygon[0]!) ??
    outline(grid).map(([x, y]) => to(x, y))
  );
}

/** Cell size and coordinate system; one date has no grid of its own. */
export function GridSetting({ field, own, about, change }: AboutSetting<GridFieldOf>) {
  if (about.onlyScene) {
    return null;
  }
  const grid = gridIn(own, field.at);
  const cellM = shownCellM(grid);
  const corners = cornersOf(about.study, grid);
  const regrid = (metres: number, crs: Crs) =>
    change({ [field.at]: proposeGrid(corners, metres, crs) });
  return (
    <>
      <Row label="Cell size, m">
        <NumberField
          label="Cell size"
          decimals={cellM % 1 ? 1 : 0}
          step={1}
          min={1}
          max={field.coarsestM}
          value={cellM}
          onCommit={(metres) => regrid(metres, grid.crs)}
        />
      </Row>
      <GridSystem
        crs={grid.crs}
        proposed={proposeGrid(corners, cellM).crs}
        near={corners[0]!}
        onPick={(crs) => regrid(cellM, crs)}
      />
    </>
  );
}

/** What the grid comes to. */
export function GridSize({ field, own }: AboutSetting<GridSizeOf>) {
  const { width, height, crs, transform } = gridIn(own, field.at);
  return (
    <p className="text-label text-soft">
      {number(width)} x {number(height)} cells
      {isGeographic(crs) ? ` of ${number(transform[1], 6)}°` : ""}. {field.note}
    </p>
  );
}
