import { AsyncLocalStorage } from "node:async_hooks";
import { setTimeout as wait } from "node:timers/promises";
import pg from "pg";
import { messageOf } from "@hindglance/core/errors";
import { AppError } from "../errors";
import { isConnectionLost } from "./transient";

export type Client = pg.PoolClient;

/** Who lends a connection for a piece of work. */
export interface Lender {
  withClient<T>(work: (client: Client) => Promise<T>): Promise<T>;
}

/**
 * Lends the one connection that somebody holds already: within a transaction what reads besides must
 * not wait for another one.
 */
export const lending = (client: Client): Lender => ({ withClient: (work) => work(client) });

/** What the database notifies of. */
export type Channel = "hg_work" | "hg_runs" | "hg_studies";

/** How long somebody waits for a connection of the pool, milliseconds. */
const WAIT_MS = 10_000;
/** Pause before a broken connection is made again, milliseconds. */
const AGAIN_MS = 300;

interface Limits {
  /** Connections at a time. */
  max?: number;
  /** How long somebody waits for one that is free, milliseconds. */
  waitMs?: number;
  /** What the connections are called in the list of the database. */
  name?: string;
  /** Whether it is an error to ask for a connection while holding one, as it is under test. */
  strict?: boolean;
}

/** Whether the work that goes on here holds a connection, as long as it does. */
const holding = new AsyncLocalStorage<{ now: boolean; of: Database }>();

/**
 * Connections of one process. Everything that talks to PostgreSQL goes through withClient or
 * withTransaction; notices come over a connection of their own.
 */
export class Database implements Lender {
  private readonly strict: boolean;
  private readonly pool: pg.Pool;
  private readonly listeners = new Set<() => Promise<void>>();
  private readonly name: string;

  constructor(
    readonly url: string,
    { max = 8, waitMs = WAIT_MS, name = "hind-glance", strict = false }: Limits = {},
  ) {
    this.name = name;
    this.strict = strict;
    this.pool = new pg.Pool({
      connectionString: url,
      max,
      application_name: name,
      connectionTimeoutMillis: waitMs,
      keepAlive: true,
    });
    // A connection that breaks is replaced by the pool; without a listener it would end the
    // process: while idle, while lent, and in the moment between, where what made it ready and
    // what ended it came together.
    this.pool.on("error", () => {});
    this.pool.on("connect", (client) => client.on("error", () => {}));
  }

  /** @throws AppError 503 where none is free in time */
  private async checkout(): Promise<Client> {
    try {
      return await this.pool.connect();
    } catch (error) {
      if (/timeout exceeded when trying to connect/.test(messageOf(error))) {
        throw new AppError(
          503,
          "busy",
          "The server has no connection to its database free",
          undefined,
          "Try again in a moment; nothing is lost.",
        );
      }
      throw error;
    }
  }

  /**
   * Lends a connection. One that breaks meanwhile is not lent again. Who holds one must not ask for
   * another: with all of them lent, each would wait for the others.
   * @throws what the work throws; AppError 503 where none is free in time
   */
  async withClient<T>(work: (client: Client) => Promise<T>): Promise<T> {
    const around = holding.getStore();
    if (this.strict && around?.now && around.of === this) {
      throw new Error("A connection was asked for while another was held");
    }
    const client = await this.checkout();
    const held = { now: true, of: this };
    let broken: Error | undefined;
    try {
      return await holding.run(held, () => work(client));
    } catch (error) {
      if (isConnectionLost(error)) {
        broken = error;
      }
      throw error;
    } finally {
      held.now = false;
      client.release(broken);
    }
  }

  async withTransaction<T>(work: (client: Client) => Promise<T>): Promise<T> {
    return this.withClient(async (client) => {
      await client.query("BEGIN");
      try {
        const r = await work(client);
        await client.query("COMMIT");
        return r;
      } catch (error) {
        await client.query("ROLLBACK").catch(() => {});
        throw error;
      }
    });
  }

  /**
   * Calls back on every notice of a channel until stopped. A connection that breaks is made again.
   * @param onBack is called then: what was notified meanwhile was not heard
   */
  listen(
    channel: Channel,
    onNotice: (payload: string) => void,
    onBack: () => void = () => {},
  ): () => void {
    const ending = new AbortController();
    const ended = this.listenUntil(ending.signal, channel, onNotice, onBack);
    const stop = () => {
      ending.abort();
      this.listeners.delete(stop);
      return ended;
    };
    this.listeners.add(stop);
    return () => void stop();
  }

  private async listenUntil(
    signal: AbortSignal,
    channel: Channel,
    onNotice: (payload: string) => void,
    onBack: () => void,
  ): Promise<void> {
    for (let isFirst = true; !signal.aborted;) {
      const client = new pg.Client({
        connectionString: this.url,
        application_name: `${this.name} ${channel}`,
        keepAlive: true,
      });
      let end = () => {};
      const over = new Promise<void>((ok) => {
        end = ok;
      });
      client.once("end", end);
      client.on("error", end);
      signal.addEventListener("abort", end);
      client.on("notification", ({ payload }) => onNotice(payload ?? ""));
      try {
        await client.connect();
        await client.query(`LISTEN ${channel}`);
        if (!isFirst) {
          onBack();
        }
        isFirst = false;
        await over;
      } catch {
        // The database is away: it is asked again below.
      }
      signal.removeEventListener("abort", end);
      await client.end().catch(() => {});
      if (!signal.aborted) {
        await wait(AGAIN_MS, undefined, { signal }).catch(() => {});
      }
    }
  }

  /** Ends all connections, those that listen too. */
  async close(): Promise<void> {
    await Promise.all([...this.listeners].map((stop) => stop()));
    await this.pool.end();
  }
}
