import { ontoGlobe } from "@hindglance/core/grid/globe";
import type { Grid } from "@hindglance/core/grid/grid";
import { degrees, number } from "../lib/format";
import type { NodeCells } from "../map/nodeCells";

/** What a side of the picture is, in its corner. */
export const SideName = ({ name, side }: { name: string; side: "in" | "out" }) => (
  <div
    className={`pointer-events-none absolute top-3 rounded-field bg-night/85 px-2.5 py-1 text-[11px] text-[#d5dbd8] ${side === "in" ? "left-3" : "right-3"}`}
  >
    <b className="mr-2 text-[12px] text-white">{name}</b>
    {side}
  </div>
);

/** Lines run with time, samples away from the sensor: where that puts east and north. */
const facing = (pass: string): string => (pass === "descending" ? "east is left" : "south is up");

interface Side {
  cells: NodeCells;
  bands: number[];
}

const shown = (value: number | undefined, unit: string | undefined): string =>
  value !== undefined && Number.isFinite(value) ? number(value, unit === "dB" ? 1 : 3) : "–";

/** What a side shows at a place, band by band. */
function valuesAt({ cells, bands }: Side, at: [number, number]): string {
  const found = cells.valueAt(...at);
  const { info } = cells.node;
  if (!found) {
    return "–";
  }
  if (info.type === "class8") {
    return info.classes?.find(({ label }) => label === found.values[0])?.name ?? "none";
  }
  return bands.map((band) => shown(found.values[band], info.bands[band]?.unit)).join(" ");
}

/** Where the cursor is, in degrees or in lines and samples. */
function placeOf(at: [number, number], grid: Grid, inFrame: boolean): string {
  return inFrame
    ? `line ${number(Math.floor(-at[1]))}, sample ${number(Math.floor(at[0]))}`
    : degrees(...ontoGlobe(grid)(...at));
}

/**
 * The place under the cursor and what the sides show there.
 * @param sensor the pass, where the picture is in sensor geometry; else null
 */
export function ReadOut({
  at,
  sides,
  grid,
  sensor,
}: {
  at: [number, number] | null;
  sides: readonly Side[];
  grid: Grid;
  sensor: string | null;
}) {
  const unit = sides[0]!.cells.node.info.bands[sides[0]!.bands[0]!]?.unit;
  return (
    <div className="pointer-events-none absolute bottom-3 left-3 rounded-field bg-night/85 px-2.5 py-1.5 font-mono text-[12px] leading-[17px] text-white">
      {sensor && <div className="text-[#c9d0cd]">sensor geometry · {facing(sensor)}</div>}
      {at && (
        <div>
          {placeOf(at, grid, sensor !== null)} ·{" "}
          {sides.map((side) => valuesAt(side, at)).join(" → ")}
          {unit ? ` ${unit}` : ""}
        </div>
      )}
      {!at && !sensor && <div className="text-[#c9d0cd]">Point at the picture to read it</div>}
    </div>
  );
}
