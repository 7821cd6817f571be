import { type PrepareAnswer, prepareRoutes } from "@hindglance/contract/prepare";
import { call } from "../api/call";
import { type Change, changesBetween } from "@hindglance/contract/changes";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type Family, gridOf, gridStep, looksIn, withStep } from "@hindglance/core/chain/family";
import { nativeCellM, proposeGrid } from "@hindglance/core/chain/proposeGrid";
import { type Crs, LONLAT, isGeographic, transformer } from "@hindglance/core/geodesy/crs";
import { type Grid, cellSize, outline, sameGrid } from "@hindglance/core/grid/grid";

import { sayError } from "../api/client";
import { keys } from "../api/hooks";
import type { Scene, Study } from "../api/types";
import { number } from "../lib/format";
import { GridSystem } from "../prepare/GridSystem";
import { type PrepareState, stateOf } from "../prepare/chainState";
import { useUi } from "../state/ui";
import { Button, Row, Warning } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { shownCellM } from "@hindglance/core/grid/metres";

const WORD: Record<Family, string> = { radar: "radar", optical: "optical" };
const withGrid = (family: Family, view: PrepareAnswer, grid: Grid): PrepareState => ({
  ...stateOf(view),
  chain: withStep(view.chain, gridStep(family), { grid }),
});
/** A grid in a line: cells, their size, the system. */
export const gridWords = (grid: Grid): string => {
  const [c] = cellSize(grid);
  return `${number(grid.width)} × ${number(grid.height)} cells of ${number(c, c < 1 ? 5 : c % 1 ? 1 : 0)} ${isGeographic(grid.crs) ? "°" : "m"}, ${grid.crs.name ?? grid.crs.code}`;
};

/**
 * Cells that the study's own images of a family have on the ground, in metres: radar after its
 * looks; null where nothing says so.
 */
function native(family: Family, scenes: readonly Scene[], view: PrepareAnswer): number | null {
  const first = scenes.find(
    (scene) => view.rows.some((row) => row.sceneId === scene.id) && scene.info,
  );
  if (!first?.info) {
    return null;
  }
  const sensorModel = first.info.sensor;
  if (family === "radar") {
    return sensorModel
      ? nativeCellM(
          sensorModel.sampleSpacingM,
          sensorModel.lineSpacingM,
          ...looksIn(family, view.chain),
        )
      : null;
  }
  return shownCellM(first.info.grid);
}

function useChainGrid(studyId: string, family: Family, there: boolean) {
  const queryClient = useQueryClient();
  const key = [...keys.prepare(studyId), family];
  const where = { params: { id: studyId }, query: { family } };
  const view =
    useQuery({ queryKey: key, queryFn: () => call(prepareRoutes.board, where), enabled: there })
      .data ?? null;
  const put = useMutation({
    mutationFn: (changes: Change[]) => call(prepareRoutes.change, { ...where, body: { changes } }),
    onSuccess: (value) => {
      queryClient.setQueryData(key, value);
      for (const k of [keys.sides(studyId), keys.align(studyId)]) {
        void queryClient.invalidateQueries({ queryKey: k });
      }
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  return {
    view,
    busy: put.isPending,
    set: (grid: Grid) => {
      if (view && !sameGrid(grid, gridOf(family, view.chain))) {
        put.mutate(changesBetween(stateOf(view), withGrid(family, view, grid)));
      }
    },
  };
}

/**
 * The one grid on which dates are compared: proposed from the images' own cells and the fitting
 * zone, and changed here for all dates of a family at once.
 */
export function GridDesk({
  study,
  scenes,
  reference,
}: {
  study: Study;
  scenes: readonly Scene[];
  reference: Grid;
}) {
  const there = {
    radar: scenes.some((scene) => scene.info?.sensor && scene.imageId),
    optical: scenes.some((scene) => scene.info?.optical && scene.imageId),
  };
  const radar = useChainGrid(study.id, "radar", there.radar);
  const optical = useChainGrid(study.id, "optical", there.optical);
  const both =
    radar.view && optical.view
      ? { radar: gridOf("radar", radar.view.chain), optical: gridOf("optical", optical.view.chain) }
      : null;
  const apart = both && !sameGrid(both.radar, both.optical);
  if (!there.radar && !there.optical) {
    return isSensorFrame(reference.crs) ? null : (
      <p className="text-soft">
        Dates are compared on the cells of the reference: {gridWords(reference)}.
      </p>
    );
  }
  return (
    <>
      {(
        [
          ["radar", radar],
          ["optical", optical],
        ] as const
      ).map(
        ([family, x]) =>
          x.view && (
            <FamilyGrid
              key={family}
              study={study}
              scenes={scenes}
              family={family}
              view={x.view}
              named={there.radar && there.optical}
              busy={x.busy}
              set={x.set}
            />
          ),
      )}
      {apart && (
        <Warning>
          Radar and optical dates lie on different cells.{" "}
          <span className="mt-1 flex gap-2">
            <Button className="h-7" onClick={() => optical.set(both.radar)}>
              All on radar cells
            </Button>
            <Button className="h-7" onClick={() => radar.set(both.optical)}>
              All on optical cells
            </Button>
          </span>
        </Warning>
      )}
    </>
  );
}

function FamilyGrid({
  study,
  scenes,
  family,
  view,
  named,
  busy,
  set,
}: {
  study: Study;
  scenes: readonly Scene[];
  family: Family;
  view: PrepareAnswer;
  named: boolean;
  busy: boolean;
  set(grid: Grid): void;
}) {
  const grid = gridOf(family, view.chain);
  const cellM = shownCellM(grid);
  const own = native(family, scenes, view);
  const ring =
    study.studyArea?.coordinates.flatMap((coordinate) => coordinate[0]!) ??
    outline(grid).map(([x, y]) => transformer(grid.crs, LONLAT)(x, y));
  const regrid = (m: number, crs: Crs) => set(proposeGrid(ring, m, crs));
  const proposed = own === null ? null : proposeGrid(ring, own);
  const fits =
    proposed !== null &&
    proposed.crs.code === grid.crs.code &&
    Math.abs(shownCellM(proposed) - cellM) < 1e-9;
  const ready = view.rows.filter((row) => row.ready).length;
  return (
    <div className="mb-2">
      {named && <h3 className="mb-1 font-medium capitalize">{WORD[family]}</h3>}
      <Row label="Cell size, m">
        <span className="flex items-center gap-2">
          {busy && <span className="text-label text-soft">saving …</span>}
          <NumberField
            label={`Cell size of ${WORD[family]} dates`}
            decimals={cellM % 1 ? 1 : 0}
            step={1}
            min={1}
            max={5000}
            value={cellM}
            onCommit={(m) => regrid(m, grid.crs)}
          />
        </span>
      </Row>
      <GridSystem
        crs={grid.crs}
        proposed={(proposed ?? proposeGrid(ring, cellM)).crs}
        onPick={(crs) => regrid(cellM, crs)}
      />
      <p className="text-label text-soft">
        {gridWords(grid)}, first corner {number(grid.transform[0], isGeographic(grid.crs) ? 4 : 0)},{" "}
        {number(grid.transform[3], isGeographic(grid.crs) ? 4 : 0)}.
      </p>
      {proposed &&
        (fits ? (
          <p className="text-label text-soft">
            These are the images' own cells in the zone that fits.
          </p>
        ) : (
          <div className="mt-1 flex items-center justify-between gap-2">
            <span className="text-label text-soft">
              The images' own: {number(own!, own! % 1 ? 1 : 0)} m,{" "}
              {proposed.crs.name ?? proposed.crs.code}
            </span>
            <Button className="h-7" onClick={() => set(proposed)}>
              Take them
            </Button>
          </div>
        ))}
      {ready > 0 && ready < view.rows.length && (
        <p className="mt-1 text-label text-warnink">
          {view.rows.length - ready} dates are to be run anew in Prepare.
        </p>
      )}
      {ready === 0 && view.rows.length > 0 && (
        <p className="mt-1 text-label text-warnink">
          No date is run on this grid yet; pictures are computed as they are looked at. See Prepare.
        </p>
      )}
    </div>
  );
}
