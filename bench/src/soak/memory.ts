import { readFileSync, readdirSync } from "node:fs";

/** What a process is, by its command line; null for one that is none of the server's. */
const KINDS: [kind: string, pattern: RegExp][] = [
  ["server", /dist\/server\/main\.js/],
  ["worker", /dist\/server\/worker\.js/],
];

function read(path: string): string {
  try {
    return readFileSync(path, "utf8");
  } catch {
    return ""; // the process ended meanwhile
  }
}

/**
 * Resident memory of a server and its workers (Linux), MB, by kind; of several workers together.
 * @param pid the server's process: of others on the machine nothing is counted
 */
export function residentMB(pid: number): Record<string, number> {
  const out: Record<string, number> = { server: 0, worker: 0 };
  for (const name of readdirSync("/proc").filter((entry) => /^\d+$/.test(entry))) {
    const status = read(`/proc/${name}/status`);
    const parent = Number(/PPid:\s+(\d+)/.exec(status)?.[1] ?? 0);
    const kind = KINDS.find(([, pattern]) => pattern.test(read(`/proc/${name}/cmdline`)))?.[0];
    if (kind && (Number(name) === pid || parent === pid)) {
      out[kind]! += Number(/VmRSS:\s+(\d+)/.exec(status)?.[1] ?? 0) / 1024;
    }
  }
  return out;
}
