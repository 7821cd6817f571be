import type { OffsetPlace } from "@hindglance/core/align/alignment";
import type { Grid } from "@hindglance/core/grid/grid";
import { number } from "../lib/format";
import { Button } from "../ui/Button";
import { Warning } from "../ui/Messages";
import { offsetFigures } from "./figures";

interface Props {
  offset: OffsetPlace;
  /** Grid of the date. */
  grid: Grid;
  isTaken: boolean;
  onTake(): void;
}

/** Windows under this share that agree make a measured offset doubtful. */
const DOUBT = 0.6;

const keptOf = (offset: OffsetPlace): number => offset.matches.filter(({ kept }) => kept).length;

/** Names and values; a value without a name goes on with the one before it. */
function figuresOf(offset: OffsetPlace, grid: Grid): [name: string, said: string][] {
  const { cellM, rmseCells, matches, tried } = offset;
  const { east, south, turnDeg, scale } = offsetFigures(offset, grid);
  const figures: [string, string][] = [
    ["East, south", `${number(east, 2, true)}, ${number(south, 2, true)} cells`],
    ["", `${number(east * cellM, 1, true)}, ${number(south * cellM, 1, true)} m`],
  ];
  if (offset.model === "affine") {
    figures.push(["Turn, scale", `${number(turnDeg, 3, true)}°, ${number(scale, 5)}`]);
  }
  figures.push(
    ["RMSE of windows", `${number(rmseCells, 2)} cells · ${number(rmseCells * cellM, 1)} m`],
    ["Windows that agree", `${keptOf(offset)} of ${matches.length} clear, ${tried} tried`],
  );
  return figures;
}

/** What speaks against an offset. */
function doubtsOf(offset: OffsetPlace, grid: Grid, isTaken: boolean): string[] {
  const { east, south } = offsetFigures(offset, grid);
  const doubts: string[] = [];
  if (keptOf(offset) < DOUBT * offset.matches.length) {
    doubts.push(
      "Hardly more than half of the windows agree: much has changed between the dates, or they show other things. Look at the edges before you trust it.",
    );
  }
  if (!isTaken && Math.hypot(east, south) < offset.rmseCells) {
    doubts.push(
      "The offset is smaller than what single windows scatter by: the dates lie on each other already.",
    );
  }
  return doubts;
}

/** A measured offset in numbers, with what speaks against it. */
export function OffsetFigures({ offset, grid, isTaken, onTake }: Props) {
  return (
    <>
      <dl className="grid grid-cols-[1fr_auto] gap-y-1">
        {figuresOf(offset, grid).map(([name, said], k) => (
          <div key={k} className="contents">
            <dt>{name}</dt>
            <dd className="font-mono text-[12px]">{said}</dd>
          </div>
        ))}
      </dl>
      {doubtsOf(offset, grid, isTaken).map((doubt) => (
        <div key={doubt} className="mt-2">
          <Warning>{doubt}</Warning>
        </div>
      ))}
      {!isTaken && (
        <div className="mt-2 flex justify-end">
          <Button tone="act" onClick={onTake}>
            Move this date
          </Button>
        </div>
      )}
    </>
  );
}
