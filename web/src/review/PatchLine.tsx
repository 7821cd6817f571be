import type { CSSProperties } from "react";
import type { ChangeMap, PatchRow } from "../api/types";
import type { LayerUnit } from "../compare/units";
import { number } from "../lib/format";
import { cx } from "../ui/cx";
import { doubtOf } from "./PatchDoubt";
import { GRID } from "./PatchHead";
import { STANDING_LOOKS } from "./standings";

interface Props {
  map: ChangeMap;
  /** Null until it has come. */
  patch: PatchRow | null;
  index: number;
  isPicked: boolean;
  unit: LayerUnit;
  style: CSSProperties;
  pick(patch: PatchRow, index: number): void;
}

const orDash = (value: number | null, written: (value: number) => string): string =>
  value === null ? "–" : written(value);

/** Share of a patch that a second sensor saw and does not confirm; null where none was asked. */
const againstOf = ({ seenShare, confirmedShare }: PatchRow): number | null =>
  seenShare === null || confirmedShare === null ? null : seenShare - confirmedShare;

/** Cells of a row behind its number. */
const cellsOf = (map: ChangeMap, patch: PatchRow, unit: LayerUnit): string[] => [
  number(patch.areaM2 / 1e4, patch.areaM2 < 1e5 ? 2 : 1),
  map.confirmed
    ? orDash(againstOf(patch), (share) => number(100 * share))
    : orDash(patch.perimeterM, (metres) => number(metres / 1000, 2)),
  orDash(patch.measure, (value) => number(value, unit.decimals, true)),
  orDash(patch.elevation, (metres) => number(metres)),
  orDash(doubtOf(patch), (doubt) => number(100 * doubt)),
];

/** One patch in the list. */
export function PatchLine({ map, patch, index, isPicked, unit, style, pick }: Props) {
  return (
    <div
      role="row"
      aria-rowindex={index + 2}
      aria-selected={isPicked}
      onClick={() => {
        if (patch) {
          pick(patch, index);
        }
      }}
      style={style}
      className={cx(
        GRID,
        "absolute inset-x-0 top-0 cursor-pointer px-4 font-mono text-[12px]",
        isPicked ? "bg-[#e2ece7]" : "hover:bg-bone",
        patch?.standing === "false" && "text-soft line-through",
      )}
    >
      {patch ? (
        <Cells map={map} patch={patch} unit={unit} />
      ) : (
        <span role="cell" className="col-span-8 text-soft">
          …
        </span>
      )}
    </div>
  );
}

function Cells({ map, patch, unit }: { map: ChangeMap; patch: PatchRow; unit: LayerUnit }) {
  const standing = STANDING_LOOKS[patch.standing];
  const info = map.info.classes?.find(({ label }) => label === patch.label);
  return (
    <>
      <span
        role="cell"
        title={info?.name}
        className="h-2.5 w-2.5 rounded-[3px]"
        style={{ background: info?.color }}
      >
        <span className="sr-only">{info?.name}</span>
      </span>
      <span role="cell" className="text-right text-soft">
        {number(patch.number)}
      </span>
      {cellsOf(map, patch, unit).map((text, k) => (
        <span key={k} role="cell" className="whitespace-nowrap text-right">
          {text}
        </span>
      ))}
      <span role="cell" title={standing.name} className="inline-block text-center">
        <span aria-hidden>{standing.sign}</span>
        <span className="sr-only">{standing.name}</span>
      </span>
    </>
  );
}
