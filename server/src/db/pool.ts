import pg from "pg";
import { codeOf, messageOf } from "@hindglance/core/errors";

export type Client = pg.PoolClient;

/**
 * Connections of one process. Everything that talks to PostgreSQL goes through withClient or
 * withTransaction.
 */
export class Database {
  readonly pool: pg.Pool;
  private readonly listeners = new Set<() => void>();
  constructor(
    readonly url: string,
    max = 8,
  ) {
    this.pool = new pg.Pool({ connectionString: url, max, application_name: "hind-glance" });
    // A connection that breaks while idle is replaced by the pool; without a listener it would end
    // the process.
    this.pool.on("error", () => {});
  }

  async withClient<T>(work: (client: Client) => Promise<T>): Promise<T> {
    const client = await this.pool.connect();
    let broken: Error | undefined;
    try {
      return await work(client);
    } catch (error) {
      if (isConnectionError(error)) {
        broken = error;
      }
      throw error;
    } finally {
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
   * Calls back on every notice of a channel until stopped; a connection that breaks is made again.
   */
  listen(
    channel: "hg_work" | "hg_runs" | "hg_studies",
    onNotice: (payload: string) => void,
  ): () => void {
    let stopped = false;
    let current: pg.PoolClient | null = null;
    const open = async (): Promise<void> => {
      if (stopped) {
        return;
      }
      try {
        const client = await this.pool.connect();
        current = client;
        client.on("notification", (notification) => onNotice(notification.payload ?? ""));
        client.once("error", (e: Error) => {
          current = null;
          client.release(e);
          setTimeout(() => void open(), 500);
        });
        await client.query(`LISTEN ${channel}`);
        if (stopped) {
          client.release(true);
        }
      } catch {
        setTimeout(() => void open(), 500);
      }
    };
    void open();
    const stop = () => {
      stopped = true;
      current?.release(true);
      current = null;
      this.listeners.delete(stop);
    };
    this.listeners.add(stop);
    return stop;
  }

  /** Ends all connections, those that listen too. */
  close(): Promise<void> {
    for (const stop of [...this.listeners]) {
      stop();
    }
    return this.pool.end();
  }
}

function isConnectionError(e: unknown): e is Error {
  return /^(08|57P)/.test(codeOf(e)) || /Connection terminated|ECONNRESET/.test(messageOf(e));
}

/** Lets a library that brings SQL of its own take part in a transaction. */
export const queryOf =
  (client: Client) =>
  async (text: string, values: unknown[]): Promise<{ rows: object[]; rowCount: number }> => {
    const { rows, rowCount } = await client.query<pg.QueryResultRow>(text, values);
    return { rows, rowCount: rowCount ?? 0 };
  };
