import type { PointModel } from "@hindglance/core/align/points";
import { number } from "../../lib/format";
import { Warning } from "../../ui/Messages";
import type { Length, Residuals } from "./residuals";

interface Props {
  found: Residuals;
  model: PointModel;
  onSwitchOff(id: string): void;
}

const written = (length: Length | null): string =>
  length ? `${number(length.cells, 2)} cells · ${number(length.metres, 1)} m` : "–";

/** How well the points agree as a whole, and which one spoils it. */
export function FitFigures({ found, model, onSwitchOff }: Props) {
  const { problem, rmse, rmseLeftOut, worst } = found;
  if (problem !== null) {
    return <p className="mb-2 text-soft">{problem}. Click the same place in both pictures.</p>;
  }
  return (
    <>
      <dl className="mb-2 grid grid-cols-[1fr_auto] gap-y-1">
        <dt>RMSE</dt>
        <dd className="font-mono text-[12px]">{written(rmse)}</dd>
        <dt title="Each point against the fit of all others">Left out one by one</dt>
        <dd className="font-mono text-[12px]">{written(rmseLeftOut)}</dd>
      </dl>
      {rmse === null && model !== "spline" && (
        <p className="mb-2 text-label text-soft">
          There are exactly as many points as the transform needs: nothing tells how good they are.
        </p>
      )}
      {worst && (
        <div className="mb-2">
          <Warning>
            Point {worst.name} spoils the fit: without it the others agree far better.{" "}
            <button
              type="button"
              className="font-semibold underline"
              onClick={() => onSwitchOff(worst.id)}
            >
              Switch it off
            </button>
          </Warning>
        </div>
      )}
    </>
  );
}
