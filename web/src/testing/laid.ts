import type { AlignRow } from "@hindglance/contract/align";
import { type Change, withChanges } from "@hindglance/contract/changes";
import type { Alignment, OffsetPlace, PointsPlace } from "@hindglance/core/align/alignment";
import { emptyPoints } from "../align/figures";
import { type Asked, Refusal } from "./page";
import { aNode, idOf } from "./things";

const raw = aNode("a");
/** A date that lies as it came, and what a test gives it. */
export const aRow = (digit: number, more: Partial<AlignRow> = {}): AlignRow => ({
  sceneId: idOf(digit),
  name: `Date ${digit}`,
  acquiredAt: `2025-05-0${digit}T10:00:00Z`,
  kind: "optical",
  align: null,
  picture: false,
  raw,
  aligned: raw,
  problem: null,
  ...more,
});
/** A date moved so many cells of 10 m east and south. */
export const moved = (east: number, south: number): OffsetPlace => ({
  kind: "offset",
  referenceId: idOf(1),
  band: "VV",
  model: "shift",
  path: {
    kind: "polynomial",
    order: 1,
    centre: [0, 0],
    scale: 1,
    x: [10 * east, 1, 0],
    y: [-10 * south, 0, 1],
  },
  matches: [],
  tried: 9,
  rmseCells: 0.123,
  cellM: 10,
  kernel: "bilinear",
});
const PLACES: [number, number][] = [
  [0, 0],
  [100, 0],
  [0, 100],
  [100, 100],
  [50, 20],
  [30, 70],
  [60, 60],
  [20, 40],
];
/** Points of a scene that is the map, shifted by (5, 7); the last of them `off` units wrong. */
export const pointsWith = (count: number, off = 0): PointsPlace => ({
  ...emptyPoints(idOf(1)),
  points: PLACES.slice(0, count).map(([x, y], k) => ({
    id: `p${k}`,
    name: String(k + 1),
    from: [x + 5 + (k === count - 1 ? off : 0), y + 7],
    to: [x, y],
    on: true,
  })),
});

/** A server that keeps what is done to dates, or takes nothing at all. */
export function heldAlign(rows: readonly AlignRow[], refuse = false) {
  let held = rows;
  const taken: Alignment[] = [];
  const set = (asked: Asked) => {
    if (refuse) {
      return new Refusal(422, { code: "invalid", message: "These points lie on a line" });
    }
    const former = held.find(({ sceneId }) => asked.path.endsWith(sceneId))?.align;
    const { changes } = asked.as<{ changes: Change[] }>();
    const align = withChanges<Alignment>(former ?? { place: null, level: null }, changes);
    taken.push(align);
    held = held.map((row) => (asked.path.endsWith(row.sceneId) ? { ...row, align } : row));
    return align;
  };
  return {
    answers: {
      "/align": () => held,
      ...Object.fromEntries(rows.map(({ sceneId }) => [`/align/${sceneId}`, set])),
    },
    /** What was set, in order. */
    taken,
  };
}
