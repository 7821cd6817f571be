import type { ChangeMap, PatchRow } from "../api/types";
import { type LayerUnit, withUnit } from "../compare/units";
import { degrees, number } from "../lib/format";
import { PatchDoubt } from "./PatchDoubt";

interface Props {
  map: ChangeMap;
  patch: PatchRow;
  /** Of the measure. */
  unit: LayerUnit;
}

/** Everything that is known of a patch, in a line. */
function factsOf(patch: PatchRow, unit: LayerUnit): string {
  const { cells, perimeterM, measure, elevation } = patch;
  const outline = perimeterM === null ? "–" : `${number(perimeterM / 1000, 2)} km`;
  const change = measure === null ? "–" : withUnit(number(measure, unit.decimals, true), unit);
  return [
    `${number(cells)} ${cells === 1 ? "cell" : "cells"}`,
    `outline ${outline}`,
    `change ${change}`,
    ...(elevation === null ? [] : [`${number(elevation)} m`]),
    ...waterText(patch),
    ...(patch.edited ? ["edited by hand"] : []),
    degrees((patch.west + patch.east) / 2, (patch.south + patch.north) / 2),
  ].join(" · ");
}

/** The water over a patch: its level with how far its shores disagree, and its mean depth. */
const waterText = ({ level, spread, depth }: PatchRow): string[] =>
  level === null || depth === null
    ? []
    : [`water at ${number(level, 1)} ± ${number(spread ?? 0, 1)} m, ${number(depth, 1)} m deep`];

/** The patch that is looked at. */
export function PickedPatch({ map, patch, unit }: Props) {
  const name = map.info.classes?.find(({ label }) => label === patch.label)?.name;
  return (
    <div data-testid="picked">
      <div className="flex items-baseline justify-between gap-2">
        <span className="text-[15px]">
          <b>{number(patch.areaM2 / 1e4, 2)} ha</b> {name?.toLowerCase()}
        </span>
        <span className="shrink-0 text-label text-soft">
          <PatchDoubt {...{ map, patch, unit }} />
        </span>
      </div>
      <div className="text-label text-soft">
        {`patch ${number(patch.number)} of ${number(map.patchCount)} · `}
        {factsOf(patch, unit)}
      </div>
    </div>
  );
}
