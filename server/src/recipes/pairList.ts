import { MOST_PAIRS } from "@hindglance/contract/recipes";
import { InputError } from "@hindglance/core/errors";
import papaparse from "papaparse";
import type { Scene } from "../db/scenes";

/** A pair of a list. */
export interface ListedPair {
  beforeId: string;
  afterId: string;
  name: string | null;
}

/** A date by its id or its name. @throws InputError naming line and column */
function sceneOf(scenes: readonly Scene[], said: string, line: number, column: string): string {
  const wanted = said.trim();
  const found = scenes.filter(({ id, name }) => id === wanted || name === wanted);
  const where = `line ${line}, ${column}`;
  if (found.length === 0) {
    const hint = "Write the name of a date as Scenes shows it, or its id.";
    throw new InputError(`${where}: there is no date “${wanted}”`, "csv", hint);
  }
  if (found.length > 1) {
    const hint = "Write the id of the date that is meant.";
    throw new InputError(`${where}: ${found.length} dates are called “${wanted}”`, "csv", hint);
  }
  return found[0]!.id;
}

/**
 * Pairs of a list: CSV with a head of before, after and, where wanted, name.
 * @throws InputError naming what cannot be read, by line and column
 */
export function pairsIn(csv: string, scenes: readonly Scene[]): ListedPair[] {
  const { data, meta } = papaparse.parse<Record<string, string>>(csv.trim(), {
    header: true,
    skipEmptyLines: "greedy",
    transformHeader: (head) => head.trim().toLowerCase(),
  });
  const missing = ["before", "after"].find((column) => !meta.fields?.includes(column));
  if (missing) {
    const hint = "The first line names the columns: before, after, name.";
    throw new InputError(`The list has no column “${missing}”`, "csv", hint);
  }
  if (data.length === 0 || data.length > MOST_PAIRS) {
    throw new InputError(`A list has 1 to ${MOST_PAIRS} pairs, this one ${data.length}`, "csv");
  }
  return data.map(({ before = "", after = "", name = "" }, k) => ({
    beforeId: sceneOf(scenes, before, k + 2, "before"),
    afterId: sceneOf(scenes, after, k + 2, "after"),
    name: name.trim().slice(0, 120) || null,
  }));
}
