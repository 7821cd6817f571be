import { InputError } from "../errors";
import { type ChainResult, type ChainScene, Row } from "./row";

/** A scene with the settings that its date has. */
export interface Dated<Scene, Settings> {
  scene: Scene;
  settings: Settings;
}
/** What putting cells into rows needs of a step. */
interface Placing<Scene extends ChainScene, Settings> {
  key: string;
  place(row: Row<Scene, Settings>, rows: readonly Row<Scene, Settings>[]): void;
}

/**
 * Takes all scenes through a chain, step by step, so that a step can look at what the others have
 * come to.
 */
export function chainRows<Scene extends ChainScene, Settings>(
  steps: readonly Placing<Scene, Settings>[],
  all: readonly Dated<Scene, Settings>[],
): Map<string, ChainResult> {
  const rows = all.map(({ scene, settings }) => new Row(scene, settings));
  for (const step of steps) {
    rows.forEach((row) => row.enter(step.key));
    rows.forEach((row) => placeIn(step, row, rows));
  }
  return new Map(rows.map((row) => [row.scene.id, row.result]));
}

function placeIn<Scene extends ChainScene, Settings>(
  step: Placing<Scene, Settings>,
  row: Row<Scene, Settings>,
  rows: readonly Row<Scene, Settings>[],
): void {
  if (row.error) {
    row.skip();
    return;
  }
  try {
    step.place(row, rows);
  } catch (error) {
    if (!(error instanceof InputError)) {
      throw error;
    }
    row.end(error);
  }
}
