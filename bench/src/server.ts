import { createReadStream, statSync } from "node:fs";
import { Readable } from "node:stream";
import { serverProcesses } from "./memory";

/**
 * Asks a running server and gives its answer.
 * @throws Error with what it answered otherwise
 */
export async function call<T>(
  base: string,
  method: string,
  path: string,
  body?: unknown,
): Promise<T> {
  const response = await fetch(`${base}/api${path}`, {
    method,
    headers: { "content-type": "application/json" },
    body: body === undefined ? undefined : JSON.stringify(body),
  });
  const text = await response.text();
  if (!response.ok) {
    throw new Error(`${method} ${path}: ${response.status} ${text}`);
  }
  return (text ? JSON.parse(text) : null) as T;
}

/** Fetches something whole, without keeping it. */
export async function bytes(base: string, path: string): Promise<void> {
  const response = await fetch(`${base}/api${path}`);
  if (!response.ok) {
    throw new Error(`${path}: ${response.status} ${await response.text()}`);
  }
  await response.arrayBuffer();
}

/** Where the measuring takes place, and how a line of the table is written. */
export interface Bench {
  base: string;
  study: string;
  line(what: string, from: number, more?: string): void;
}

/** Megabytes as a table shows them. */
export const megabytes = (size: number): string => `${Math.round(size / 1e6)} MB`;

/** Posts a file to an address. @throws Error with what the server answered otherwise */
export async function send(address: string, file: string): Promise<Response> {
  const response = await fetch(address, {
    method: "POST",
    headers: {
      "content-type": "application/octet-stream",
      "content-length": String(statSync(file).size),
    },
    body: Readable.toWeb(createReadStream(file, { highWaterMark: 1 << 20 })) as ReadableStream,
    duplex: "half",
  } as RequestInit);
  if (!response.ok) {
    throw new Error(`upload: ${response.status} ${await response.text()}`);
  }
  return response;
}

/**
 * Sends a file to a study.
 * @throws Error with what the server answered otherwise
 */
export async function upload(
  base: string,
  study: string,
  file: string,
  name: string,
): Promise<{ id: string; detail: { kind: string; acquiredAt: string | null } }> {
  const address = `${base}/api/studies/${study}/uploads?name=${encodeURIComponent(name)}`;
  return (await (await send(address, file)).json()) as never;
}

/**
 * Waits for a run.
 * @throws Error when it did not end well
 */
export async function ended(base: string, run: string): Promise<void> {
  for (;;) {
    const r = await call<{ state: string; title: string; error: { message: string } | null }>(
      base,
      "GET",
      `/runs/${run}`,
    );
    if (r.state === "done") {
      return;
    }
    if (r.state !== "running") {
      throw new Error(`${r.title}: ${r.error?.message ?? r.state}`);
    }
    await new Promise((ok) => setTimeout(ok, 100));
  }
}

/**
 * Resident memory on this machine, MB (Linux): of every process of the server together, and of the
 * largest worker.
 */
export function memoryMB(): { all: number; worker: number } {
  const all = serverProcesses();
  const workers = all.filter(({ kind }) => kind === "worker").map(({ mb }) => mb);
  return { all: all.reduce((sum, { mb }) => sum + mb, 0), worker: Math.max(0, ...workers) };
}

/** Prints a table of seconds and of the largest memory since the line before. */
export function memoryTable(): {
  line(what: string, from: number, more?: string): void;
  stop(): void;
} {
  let peak = 0;
  let all = 0;
  const watch = setInterval(() => {
    const m = memoryMB();
    peak = Math.max(peak, m.worker);
    all = Math.max(all, m.all);
  }, 200);
  console.log(
    "| work | seconds | largest worker, MB | all processes, MB | |\n| --- | ---: | ---: | ---: | --- |",
  );
  return {
    line(what, from, more = "") {
      console.log(
        `| ${what} | ${((performance.now() - from) / 1000).toFixed(2)} | ${Math.round(peak)} | ${Math.round(all)} | ${more} |`,
      );
      peak = 0;
      all = 0;
    },
    stop: () => clearInterval(watch),
  };
}
