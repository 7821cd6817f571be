import type { Client } from "../db/pool";
import { listSamples } from "../db/samples";
import { listReviewers, standingAreas } from "../db/verdicts";
import { findResult } from "../products/sampleResult";
import type { TestOfMap } from "../report/accuracyTable";
import { type TableBlock, tallyBlocks, tallyCsv, tallyRows } from "../report/tallyTable";
import type { FileKind, FileSource } from "./kind";

/** What a map was tested on: the newest sample that somebody looked at, and the newest test areas. */
async function testsOf(client: Client, map: string): Promise<TestOfMap[]> {
  const samples = await listSamples(client, map);
  const tests = [
    samples.find(({ interpreters }) => interpreters.length > 0),
    samples.find(({ design }) => design.drawing === "areas"),
  ].filter((one) => one !== undefined);
  const found: TestOfMap[] = [];
  for (const sample of tests) {
    found.push({ sample, result: await findResult(client, sample.id) });
  }
  return found;
}

/** Everything that is counted of a map, as it is known now. */
export async function blocksOf({ map, info, db }: FileSource): Promise<TableBlock[]> {
  const { reviewed, tests } = await db.withTransaction(async (client) => ({
    reviewed: {
      areas: await standingAreas(client, map.id),
      reviewers: await listReviewers(client, map.id),
    },
    tests: await testsOf(client, map.id),
  }));
  return tallyBlocks(map, info, reviewed, tests);
}

/** Areas by class and zone, with what was said of the map and what it was made from. */
export const csv: FileKind = {
  extension: "csv",
  media: "text/csv; charset=utf-8",
  title: "table",
  isPacked: false,
  async *bytes(source) {
    yield Buffer.from(tallyCsv(await blocksOf(source)));
  },
};

/** Where a map comes from, with its table, as JSON. */
export const provenance: FileKind = {
  extension: "provenance.json",
  media: "application/json",
  title: "provenance",
  isPacked: false,
  async *bytes({ map, info }) {
    yield Buffer.from(
      `${JSON.stringify({ ...map.provenance, tally: tallyRows(map, info) }, null, 2)}\n`,
    );
  },
};
