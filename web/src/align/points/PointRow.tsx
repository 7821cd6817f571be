import { Trash2 } from "lucide-react";
import type { ControlPoint } from "@hindglance/core/align/alignment";
import { number } from "../../lib/format";
import { cx } from "../../ui/cx";
import { NumberField } from "../../ui/NumberField";

interface Props {
  point: ControlPoint;
  picture: boolean;
  /** Cells off the fit, and off the fit without this point; null where it does not take part. */
  residual: { off: number | null; leftOut: number | null } | null;
  isPicked: boolean;
  isWorst: boolean;
  /** Whether its coordinates are shown. */
  isOpen: boolean;
  onOpen(): void;
  change(part: Partial<ControlPoint>): void;
  remove(): void;
}

function residualText(residual: Props["residual"]): string {
  const off = residual?.off ?? null;
  const leftOut = residual?.leftOut ?? null;
  const without = leftOut === null ? "" : ` (${number(leftOut, 2)})`;
  return `${off === null ? "–" : number(off, 2)}${without}`;
}

/** One control point: whether it is used, what it lies off, and its coordinates. */
export function PointRow(props: Props) {
  const { point, residual, isPicked, isWorst, isOpen, onOpen, change, remove } = props;
  return (
    <li
      className={cx(
        "rounded-field border px-2 py-1",
        isPicked ? "border-spruce bg-white" : "border-line",
      )}
    >
      <div className="flex items-center gap-2">
        <input
          type="checkbox"
          aria-label={`Use point ${point.name}`}
          checked={point.on}
          onChange={() => change({ on: !point.on })}
        />
        <button
          type="button"
          aria-expanded={isOpen}
          className={cx("min-w-0 flex-1 truncate text-left font-medium", isWorst && "text-wrong")}
          title="Show its coordinates"
          onClick={onOpen}
        >
          {point.name}
        </button>
        <span
          className="font-mono text-[12px]"
          title="Residual, cells; in brackets with this point left out"
        >
          {residualText(residual)}
        </span>
        <button
          type="button"
          aria-label={`Delete point ${point.name}`}
          className="text-soft hover:text-wrong"
          onClick={remove}
        >
          <Trash2 size={13} aria-hidden />
        </button>
      </div>
      {isOpen && <Coordinates {...props} />}
    </li>
  );
}

function Coordinates({ point, picture, change }: Props) {
  const { from, to, name } = point;
  const [across, down] = picture ? ["Column", "Row"] : ["Date easting", "Date northing"];
  return (
    <div className="mt-1 grid grid-cols-[auto_1fr_1fr] items-center gap-x-2 gap-y-1 text-label text-soft">
      <span>{picture ? "column, row" : "date E, N"}</span>
      <Coordinate
        label={`${across} of ${name}`}
        step={0.5}
        value={from[0]}
        onCommit={(value) => change({ from: [value, from[1]] })}
      />
      <Coordinate
        label={`${down} of ${name}`}
        step={0.5}
        value={from[1]}
        onCommit={(value) => change({ from: [from[0], value] })}
      />
      <span>map E, N</span>
      <Coordinate
        label={`Easting of ${name}`}
        step={1}
        value={to[0]}
        onCommit={(value) => change({ to: [value, to[1]] })}
      />
      <Coordinate
        label={`Northing of ${name}`}
        step={1}
        value={to[1]}
        onCommit={(value) => change({ to: [to[0], value] })}
      />
    </div>
  );
}

const Coordinate = (props: {
  label: string;
  step: number;
  value: number;
  onCommit(value: number): void;
}) => <NumberField {...props} decimals={2} />;
