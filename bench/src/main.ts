import { spawnSync } from "node:child_process";
import { fileURLToPath } from "node:url";
import { measureCover } from "./cover";
import { measureOptical } from "./optical";
import { measurePair } from "./pair";
import { measureProduct } from "./product";
import { CLASSIFY_ROWS } from "./classifyRows";
import { DOUBT_ROWS } from "./doubtRows";
import { ROWS as KERNELS } from "./rows";

// npm run bench                        the table of kernels, each in a process of its own
// npm run bench -- labelling           rows whose name holds a word
// npm run bench -- --pair URL FOLDER   a large pair through a running server
// npm run bench -- --product URL FOLDER  a product of full size through a running server
// npm run bench -- --optical URL FOLDER optical bands of full size, and a JPEG 2000 band, through a
// running server
// npm run bench -- --cover URL FOLDER   two large dates of seven bands, classified and compared
const ROWS = [...KERNELS, ...CLASSIFY_ROWS, ...DOUBT_ROWS];
const [first, ...rest] = process.argv.slice(2);

if (first === "--pair") {
  await measurePair(rest[0] ?? "http://127.0.0.1:5170", rest[1] ?? "data/large");
} else if (first === "--product") {
  await measureProduct(rest[0] ?? "http://127.0.0.1:5170", rest[1] ?? "data/large-product");
} else if (first === "--optical") {
  await measureOptical(rest[0] ?? "http://127.0.0.1:5170", rest[1] ?? "data/large-optical");
} else if (first === "--cover") {
  await measureCover(rest[0] ?? "http://127.0.0.1:5170", rest[1] ?? "data/large-cover");
} else if (first === "--row") {
  await measure(Number(rest[0]));
} else {
  const rows = ROWS.map((row, i) => ({ row, i })).filter(
    ({ row }) => !first || row.name.includes(first),
  );
  if (rows.length === 0) {
    console.error(`No row holds "${first}". Rows: ${ROWS.map((row) => row.name).join("; ")}`);
    process.exit(2);
  }
  console.log("| work | M cells/s | at least | peak memory, MB |\n| --- | ---: | ---: | ---: |");
  for (const { row, i } of rows) {
    const spawnSyncReturns = spawnSync(
      process.execPath,
      ["--max-old-space-size=2048", fileURLToPath(import.meta.url), "--row", String(i)],
      { encoding: "utf8" },
    );
    if (spawnSyncReturns.status !== 0) {
      console.error(spawnSyncReturns.stderr);
      process.exit(1);
    }
    const { rate, peak } = JSON.parse(spawnSyncReturns.stdout) as { rate: number; peak: number };
    console.log(
      `| ${row.name} | ${rate.toFixed(1)} | ${row.target ?? "–"} | ${Math.round(peak)} |`,
    );
  }
}

/**
 * Best of the rounds of two seconds after a warm-up; the best is least disturbed by other work on
 * the machine.
 */
async function measure(index: number): Promise<void> {
  const row = ROWS[index]!;
  const work = row.setUp();
  await work();
  let best = Infinity;
  const until = performance.now() + 2500;
  for (let k = 0; k < 3 || performance.now() < until; k++) {
    const t = performance.now();
    await work();
    best = Math.min(best, performance.now() - t);
  }
  process.stdout.write(
    JSON.stringify({ rate: row.cells / best / 1000, peak: process.resourceUsage().maxRSS / 1024 }),
  );
}
