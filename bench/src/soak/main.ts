import { execFileSync } from "node:child_process";
import { readdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { setTimeout as wait } from "node:timers/promises";
import { TestServer } from "@hindglance/server/testing/harness";
import { Analyst } from "./analyst";
import { charts } from "./chart";
import { residentMB } from "../memory";

// bin/soak [MINUTES]: ten analysts work at a server of their own; memory and tables are drawn into
// docs/soak.svg, and what they were early and late is printed.

const ANALYSTS = 10;
/** Time between two samples, milliseconds. */
const SAMPLE_MS = 15_000;
/** From here on things are to be flat: caches are filled by then, minutes. */
const WARM_MIN = 10;
const TABLES = ["blob_chunk", "image_block", "node", "run", "run_range", "patch"];

interface Sample {
  minute: number;
  memory: Record<string, number>;
  tables: Record<string, number>;
}

const minutes = Number(process.argv[2] ?? 60);
const server = await TestServer.start({ workers: 2 });

/** Megabytes of tables with their indexes. */
async function tableMB(): Promise<Record<string, number>> {
  const rows = await server.query<{ name: string; mb: number }>(
    `
      SELECT name, pg_total_relation_size(name::regclass)::float8 / 1e6 AS mb
      FROM unnest($1::text[]) AS name
    `,
    [TABLES],
  );
  return Object.fromEntries(rows.map(({ name, mb }) => [name, mb]));
}

async function watched(signal: AbortSignal): Promise<Sample[]> {
  const begun = performance.now();
  const samples: Sample[] = [];
  while (!signal.aborted) {
    const minute = (performance.now() - begun) / 60_000;
    samples.push({ minute, memory: residentMB(server.pid), tables: await tableMB() });
    await wait(SAMPLE_MS, undefined, { signal }).catch(() => {});
  }
  return samples;
}

const COLOURS = ["#23685a", "#c8246f", "#33498c", "#a06a1f", "#5c5c5c", "#7a3f9a"];

function draw(samples: readonly Sample[]): void {
  const lines = (what: "memory" | "tables", names: readonly string[]) =>
    names.map((name, k) => ({
      name: name === "worker" ? "both workers" : name,
      colour: COLOURS[k]!,
      values: samples.map((sample) => sample[what][name]!),
    }));
  const picture = charts(
    samples.map(({ minute }) => minute),
    [
      { title: "Resident memory, MB", lines: lines("memory", ["server", "worker"]) },
      { title: "Tables with their indexes, MB", lines: lines("tables", TABLES) },
    ],
  );
  writeFileSync("docs/soak.svg", picture);
}

/** The mean of a figure over the samples of some minutes. */
function mean(samples: readonly Sample[], from: number, to: number, of: (s: Sample) => number) {
  const some = samples.filter(({ minute }) => minute >= from && minute < to).map(of);
  return some.reduce((sum, value) => sum + value, 0) / Math.max(1, some.length);
}

function tell(samples: readonly Sample[], analysts: readonly Analyst[]): void {
  const span = Math.max(1, Math.min(WARM_MIN, minutes / 4));
  console.log(
    `\n| what | minutes ${WARM_MIN} to ${WARM_MIN + span} | the last ${span} |\n| --- | ---: | ---: |`,
  );
  const row = (name: string, of: (s: Sample) => number) => {
    const early = mean(samples, WARM_MIN, WARM_MIN + span, of);
    const late = mean(samples, minutes - span, Infinity, of);
    console.log(`| ${name} | ${early.toFixed(1)} MB | ${late.toFixed(1)} MB |`);
  };
  for (const name of ["server", "worker"]) {
    row(name, ({ memory }) => memory[name]!);
  }
  for (const name of TABLES) {
    row(name, ({ tables }) => tables[name]!);
  }
  const done: Record<string, number> = {};
  for (const analyst of analysts) {
    for (const [name, count] of Object.entries(analyst.done)) {
      done[name] = (done[name] ?? 0) + count;
    }
  }
  const wrong = analysts.flatMap((analyst) => analyst.wrong);
  console.log(`\nDone: ${JSON.stringify(done)}; went wrong: ${wrong.length}`);
  for (const [what, count] of countedOf(wrong)) {
    console.log(`${count} x ${what}`);
  }
}

function countedOf(all: readonly string[]): [string, number][] {
  const counts = new Map<string, number>();
  for (const one of all) {
    const what = one.replace(/[0-9a-f-]{32,36}/g, "…");
    counts.set(what, (counts.get(what) ?? 0) + 1);
  }
  return [...counts].sort((a, b) => b[1] - a[1]).slice(0, 12);
}

try {
  execFileSync(process.execPath, ["dist/world/demo.js", server.base, "data/demo"], {
    stdio: "inherit",
  });
  const sample = readdirSync("data/demo").find((name) => /sigma0\.tif$/.test(name))!;
  const path = join("data/demo", sample);
  const analysts = Array.from({ length: ANALYSTS }, (_v, k) => new Analyst(server.base, k, path));
  const evening = new AbortController();
  const watching = watched(evening.signal);
  const working = analysts.map((analyst) => analyst.work(evening.signal));
  await wait(minutes * 60_000);
  evening.abort();
  await Promise.all(working);
  const samples = await watching;
  draw(samples);
  tell(samples, analysts);
} finally {
  await server.stop();
}
