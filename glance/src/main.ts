import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { ServerClient, wordsOf } from "@hindglance/contract/client";
import papaparse from "papaparse";
import { type Asked, type AskedPair, askedIn } from "./asked";
import { makeAgain } from "./again";
import { askedAgainIn } from "./askedAgain";
import { deliver } from "./deliver";
import { makeMap } from "./pair";
import { EXIT, USAGE } from "./usage";
import { UsageError } from "./usageError";

// Makes maps of products without a page; bin/glance starts the server that it asks.
const began = Date.now();

/** Says something with the seconds since the beginning. */
const say = (text: string): void => {
  console.log(`${((Date.now() - began) / 1000).toFixed(1).padStart(6)} s  ${text}`);
};

/** How a pair of a list ended. */
interface Ended {
  code: number;
  why: string;
}

/** Makes one map and writes what came of it. */
async function one(
  client: ServerClient,
  asked: Asked,
  pair: AskedPair,
  folder: string,
): Promise<Ended> {
  try {
    const run = await makeMap(client, asked, pair, say);
    await deliver(client, run, folder);
    if (run.state !== "done") {
      return { code: EXIT.failed, why: run.log.at(-1)?.text ?? run.state };
    }
    say(`Everything is in ${folder}.`);
    return run.lookFirst.length > 0
      ? { code: EXIT.lookFirst, why: run.lookFirst.join(" ") }
      : { code: EXIT.done, why: "" };
  } catch (error) {
    const why = wordsOf(error);
    console.error(why);
    return { code: EXIT.failed, why };
  }
}

const STATES: Record<number, string> = {
  [EXIT.done]: "done",
  [EXIT.lookFirst]: "look first",
  [EXIT.failed]: "failed",
};

/** Makes a map of every pair of a list, and tells how each ended. */
async function all(client: ServerClient, asked: Asked): Promise<number> {
  const rows: object[] = [];
  let worst: number = EXIT.done;
  for (const [k, pair] of asked.pairs.entries()) {
    const folder = `pair_${String(k + 1).padStart(3, "0")}`;
    say(`Pair ${k + 1} of ${asked.pairs.length}: ${pair.before}, ${pair.after}`);
    const { code, why } = await one(client, asked, pair, join(asked.out, folder));
    worst = code === EXIT.failed || worst === EXIT.failed ? EXIT.failed : Math.max(worst, code);
    rows.push({
      ...{ pair: k + 1, before: pair.before, after: pair.after },
      folder,
      state: STATES[code],
      why,
    });
    writeFileSync(join(asked.out, "pairs.csv"), `${papaparse.unparse(rows)}\r\n`);
  }
  return worst;
}

/** Makes maps again from their accounts. */
async function again(args: string[]): Promise<number> {
  const asked = askedAgainIn(args);
  return asked.isCheck ? EXIT.done : makeAgain(clientOf(asked.server), asked, say);
}

const clientOf = (server: string): ServerClient =>
  new ServerClient(server.replace(/\/+$/, ""), "bin/glance");

async function main(): Promise<number> {
  const args = process.argv.slice(2);
  if (args.includes("--help") || args.length === 0) {
    console.log(USAGE);
    return args.length === 0 ? EXIT.usage : EXIT.done;
  }
  if (args.find((word) => !word.startsWith("--")) === "again") {
    return again(args.filter((_word, k) => k !== args.indexOf("again")));
  }
  const asked = askedIn(args);
  if (asked.isCheck) {
    return EXIT.done;
  }
  const client = clientOf(asked.server);
  mkdirSync(asked.out, { recursive: true });
  return asked.isList
    ? all(client, asked)
    : (await one(client, asked, asked.pairs[0]!, asked.out)).code;
}

try {
  process.exitCode = await main();
} catch (error) {
  console.error(wordsOf(error));
  if (error instanceof UsageError) {
    console.error("bin/glance --help tells how it is called.");
  }
  process.exitCode = error instanceof UsageError ? EXIT.usage : EXIT.failed;
}
