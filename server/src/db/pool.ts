import { setTimeout as wait } from "node:timers/promises";
import pg from "pg";
import { messageOf } from "@hindglance/core/errors";
import { AppError } from "../errors";
import { isConnectionLost } from "./transient";

export type Client = pg.PoolClient;

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
}

/**
 * Connections of one process. Everything that talks to PostgreSQL goes through withClient or
 * withTransaction; notices come over a connection of their own.
 */
export class Database {
  private readonly pool: pg.Pool;
  private readonly listeners = new Set<() => Promise<void>>();
  private readonly name: string;

  constructor(
    readonly url: string,
    { max = 8, waitMs = WAIT_MS, name = "hind-glance" }: Limits = {},
  ) {
    this.name = name;
    this.pool = new pg.Pool({
      connectionString: url,
      max,
      application_name: name,
      connectionTimeoutMillis: waitMs,
      keepAlive: true,
    });
    // A connection that breaks while idle is replaced by the pool; without a listener it would end
    // the process.
    this.pool.on("error", () => {});
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
   * Lends a connection. One that breaks meanwhile is not lent again.
   * @throws what the work throws; AppError 503 where none is free in time
   */
  async withClient<T>(work: (client: Client) => Promise<T>): Promise<T> {
    const client = await this.checkout();
    let broken: Error | undefined;
    // It can break while nothing is asked of it; without a listener that would end the process.
    const onError = (error: Error) => {
      broken = error;
    };
    client.on("error", onError);
    try {
      return await work(client);
    } catch (error) {
      if (isConnectionLost(error)) {
        broken ??= error;
      }
      throw error;
    } finally {
      client.release(broken);
      client.off("error", onError);
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
