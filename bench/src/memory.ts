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

/** Processes of servers on this machine (Linux), with their resident memory, MB. */
export function serverProcesses(): { pid: number; parent: number; kind: string; mb: number }[] {
  return readdirSync("/proc")
    .filter((entry) => /^\d+$/.test(entry))
    .flatMap((name) => {
      const status = read(`/proc/${name}/status`);
      const parent = Number(/PPid:\s+(\d+)/.exec(status)?.[1] ?? 0);
      const mb = Number(/VmRSS:\s+(\d+)/.exec(status)?.[1] ?? 0) / 1024;
      const kind = KINDS.find(([, pattern]) => pattern.test(read(`/proc/${name}/cmdline`)))?.[0];
      return kind ? [{ pid: Number(name), parent, kind, mb }] : [];
    });
}

/**
 * Resident memory of a server and its workers, MB, by kind; of several workers together.
 * @param pid the server's process: of others on the machine nothing is counted
 */
export function residentMB(pid: number): Record<string, number> {
  const out: Record<string, number> = { server: 0, worker: 0 };
  for (const { kind, mb } of serverProcesses().filter(
    (one) => one.pid === pid || one.parent === pid,
  )) {
    out[kind]! += mb;
  }
  return out;
}
