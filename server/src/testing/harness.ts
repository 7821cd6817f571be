import { type ChildProcess, spawn } from "node:child_process";
import { resolve } from "node:path";
import pg from "pg";
import { createDatabase, dropDatabase } from "./database";

/** The body of an answer, as the test says that it is. */
export const jsonOf = async <T>(response: Response | Promise<Response>): Promise<T> =>
  bodyIn<T>(await (await response).text());
/** A body that came as text, as the test says that it is. */
export const bodyIn = <T>(text: string): T => JSON.parse(text) as T;

/** How much of what a server said is told where it ended, characters from the end. */
const SAID_CHARACTERS = 2000;

/** What is waited for may take this long at the most, milliseconds: other tests run beside these. */
const LONG_MS = 150_000;

interface StartOptions {
  workers?: number;
  env?: Record<string, string>;
}

/** A built server with its workers on a database of its own, driven over HTTP as a page does. */
export class TestServer {
  private constructor(
    readonly database: string,
    readonly url: string,
    private child: ChildProcess,
    public base: string,
    private said: () => string,
  ) {}

  static async start(options: StartOptions = {}): Promise<TestServer> {
    const { database, url } = await createDatabase();
    const { child, base, said } = await launch(url, options);
    return new TestServer(database, url, child, base, said);
  }

  /** Ends server and workers at once, with no chance to tidy up. */
  async kill(): Promise<void> {
    const gone = new Promise((ok) => this.child.once("exit", ok));
    // The process group: workers go with their server.
    process.kill(-this.child.pid!, "SIGKILL");
    await gone;
  }

  async restart(options: StartOptions = {}): Promise<void> {
    ({ child: this.child, base: this.base, said: this.said } = await launch(this.url, options));
  }

  /** Ends server and workers as bin/start does. @throws Error where the server had ended by itself */
  async stop(): Promise<void> {
    const { exitCode, signalCode } = this.child;
    if (exitCode === null && signalCode === null) {
      const gone = new Promise((ok) => this.child.once("exit", ok));
      this.child.kill("SIGTERM");
      await gone;
    }
    await dropDatabase(this.database);
    if (exitCode !== null) {
      throw new Error(`The server had ended by itself with ${exitCode}: ${this.said()}`);
    }
  }

  get pid(): number {
    return this.child.pid!;
  }

  async query<T extends pg.QueryResultRow>(sql: string, values: unknown[] = []): Promise<T[]> {
    const client = new pg.Client(this.url);
    await client.connect();
    try {
      return (await client.query<T>(sql, values)).rows;
    } finally {
      await client.end();
    }
  }

  /**
   * One request over a connection of its own: a test that has computed for seconds would take a
   * kept one that the server has closed meanwhile.
   */
  request(
    path: string,
    init: { method?: string; headers?: Record<string, string> } & Omit<RequestInit, "headers"> = {},
  ): Promise<Response> {
    return fetch(this.base + path, {
      ...init,
      headers: { connection: "close", ...init.headers },
    });
  }

  async call<T = Record<string, never>>(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<{ status: number; body: T; headers: Headers; bytes: Buffer }> {
    const raw = body instanceof Uint8Array;
    const response = await this.request(`/api${path}`, {
      method,
      headers: {
        ...(body === undefined
          ? {}
          : { "content-type": raw ? "application/octet-stream" : "application/json" }),
        ...headers,
      },
      body: raw ? new Uint8Array(body) : JSON.stringify(body),
    });
    const bytes = Buffer.from(await response.arrayBuffer());
    const json = (response.headers.get("content-type") ?? "").includes("json");
    return {
      status: response.status,
      headers: response.headers,
      bytes,
      body: bodyIn<T>(json && bytes.length ? bytes.toString() : "null"),
    };
  }

  async ended(
    run: string,
    timeoutMs = LONG_MS,
  ): Promise<{
    state: string;
    error: { message: string; code: string } | null;
    result: Record<string, string> | null;
  }> {
    for (const end = Date.now() + timeoutMs; ;) {
      const r = await this.call<{
        state: string;
        error: { message: string; code: string } | null;
        result: Record<string, string> | null;
      }>("GET", `/runs/${run}`);
      if (r.body.state !== "running") {
        return r.body;
      }
      if (Date.now() > end) {
        throw new Error(`Run ${run} has not ended in ${timeoutMs} ms`);
      }
      await new Promise((ok) => setTimeout(ok, 60));
    }
  }

  /** Waits until no run goes on: a map that was written has its doubt counted after it. */
  async quiet(timeoutMs = LONG_MS): Promise<void> {
    for (const end = Date.now() + timeoutMs; ;) {
      const [left] = await this.query<{ n: number }>(
        "SELECT count(*)::int AS n FROM run WHERE state = 'running'",
      );
      if (left!.n === 0) {
        return;
      }
      if (Date.now() > end) {
        throw new Error(`${left!.n} runs have not ended in ${timeoutMs} ms`);
      }
      await new Promise((ok) => setTimeout(ok, 60));
    }
  }

  upload(study: string, name: string, bytes: Uint8Array) {
    return this.call<{
      id: string;
      error?: { code: string; message: string; hint?: string; field?: string };
      detail: Record<string, unknown>;
    }>("POST", `/studies/${study}/uploads?name=${encodeURIComponent(name)}`, bytes);
  }

  /** Uploads and imports a raster that says all of itself. */
  async importScene(
    study: string,
    name: string,
    bytes: Uint8Array,
    said: object = {},
  ): Promise<{ id: string; runId: string }> {
    const address = await this.upload(study, name, bytes);
    if (address.status !== 201) {
      throw new Error(JSON.stringify(address.body));
    }
    const s = await this.call<{ scene: { id: string }; runId: string }>(
      "POST",
      `/studies/${study}/scenes`,
      { uploadId: address.body.id, kind: address.body.detail.kind, ...said },
    );
    if (s.status !== 202) {
      throw new Error(JSON.stringify(s.body));
    }
    return { id: s.body.scene.id, runId: s.body.runId };
  }
}

async function launch(
  databaseUrl: string,
  options: StartOptions,
): Promise<{ child: ChildProcess; base: string; said: () => string }> {
  const child = spawn(process.execPath, ["--enable-source-maps", resolve("dist/server/main.js")], {
    detached: true,
    stdio: ["ignore", "pipe", "pipe"],
    env: {
      ...process.env,
      // As bin/start has it.
      MALLOC_ARENA_MAX: "2",
      MALLOC_MMAP_THRESHOLD_: "262144",
      DATABASE_URL: databaseUrl,
      PORT: "0",
      WORKERS: String(options.workers ?? 2),
      LOG_LEVEL: "error",
      CHECK_ANSWERS: "1",
      WEB_ROOT: resolve("dist/web"),
      ...options.env,
    },
  });
  let text = "";
  const base = await new Promise<string>((ok, no) => {
    const timer = setTimeout(() => no(new Error(`The server did not start: ${text}`)), 30_000);
    const take = (bytes: Buffer) => {
      text += bytes.toString();
      const match = /is at (http:\S+)/.exec(text);
      if (match) {
        clearTimeout(timer);
        ok(match[1]!);
      }
    };
    child.stdout.on("data", take);
    child.stderr.on("data", take);
    child.once("exit", (code) => {
      clearTimeout(timer);
      no(new Error(`The server ended with ${code}: ${text}`));
    });
  });
  return { child, base, said: () => text.slice(-SAID_CHARACTERS) };
}
