import pg from "pg";

/** Class of the advisory locks that workers hold while they live. */
export const PRESENCE = 7_310_402;

/** Keys of the workers that live; the class of their locks is the first parameter. */
export const LIVING = `
  SELECT l.objid::int AS key
  FROM pg_locks l
    JOIN pg_database d ON d.oid = l.database
  WHERE d.datname = current_database()
    AND l.locktype = 'advisory'
    AND l.granted
    AND l.classid = $1::int::oid
`;

/**
 * Ends a connection whose other side is gone without a word after some twenty seconds, so that its
 * lock does not outlive its worker.
 */
const KEEP_ALIVE =
  "-c tcp_keepalives_idle=8 -c tcp_keepalives_interval=3 -c tcp_keepalives_count=4";

/**
 * A worker's place among the living: an advisory lock on a connection of its own. The database
 * itself sees it go, however busy the worker is; there is no heart that could skip a beat.
 */
export class Presence {
  private readonly gone = new AbortController();

  private constructor(
    /** What the worker's ranges are marked with; no two living workers have the same. */
    readonly key: number,
    private readonly client: pg.Client,
  ) {}

  /** Aborted once the lock is gone: what was claimed with it belongs to others from then on. */
  get lost(): AbortSignal {
    return this.gone.signal;
  }

  /** @throws what the database says where it cannot be reached */
  static async open(url: string): Promise<Presence> {
    const client = new pg.Client({
      connectionString: url,
      application_name: `hind-glance worker ${process.pid}`,
      keepAlive: true,
      options: KEEP_ALIVE,
    });
    // A connection that breaks emits an error, which would end the process, and then its end.
    client.on("error", () => {});
    try {
      await client.connect();
      const { rows } = await client.query<{ key: number }>(
        "SELECT nextval('worker_key')::int AS key",
      );
      const presence = new Presence(rows[0]!.key, client);
      client.once("end", () => presence.gone.abort());
      await client.query("SELECT pg_advisory_lock($1, $2)", [PRESENCE, presence.key]);
      return presence;
    } catch (error) {
      await client.end().catch(() => {});
      throw error;
    }
  }

  /** Leaves: whatever is still claimed goes to others. */
  async close(): Promise<void> {
    await this.client.end().catch(() => {});
    this.gone.abort();
  }
}
