import type { LimitEffect as Effect } from "@hindglance/core/tally/effects";
import { number } from "../lib/format";

/** Areas under this are told in cells, m². */
const SMALL_M2 = 5000;

function amount(sign: string, cells: number, m2: number): string {
  if (m2 < SMALL_M2) {
    return `${sign}${number(cells)} ${cells === 1 ? "cell" : "cells"}`;
  }
  return `${sign}${number(m2 / 1e6, m2 < 1e7 ? 2 : 1)} km²`;
}

/** What a limit took and gave; cells in the title. */
export function LimitEffect({ effect }: { effect: Effect }) {
  const { droppedCells, droppedM2, addedCells, addedM2 } = effect;
  const said = [
    ...(droppedCells > 0 ? [amount("−", droppedCells, droppedM2)] : []),
    ...(addedCells > 0 ? [amount("+", addedCells, addedM2)] : []),
  ];
  return (
    <span
      title={`${number(droppedCells)} cells lost their class, ${number(addedCells)} were given one`}
    >
      {said.join(" ") || "nothing"}
    </span>
  );
}
