import pg from "pg";
import { migrate } from "../db/migrations";
import { type Client, Database } from "../db/pool";
import { createStudy } from "../db/studies";

/** Ends every connection to a database but the asking one, as its restart does. */
export const CUT_ALL = `
  SELECT pg_terminate_backend(pid)
  FROM pg_stat_activity
  WHERE datname = current_database()
    AND pid <> pg_backend_pid()
`;

/** Address of a database that was just made on the tests' cluster, and its name. */
export async function createDatabase(): Promise<{ database: string; url: string }> {
  const admin = process.env.DATABASE_URL;
  if (!admin) {
    throw new Error(
      "DATABASE_URL is not set: run these tests with bin/test, which makes a cluster",
    );
  }
  const database = `t_${process.pid}_${Math.floor(performance.now() * 1000)}`;
  const client = new pg.Client(admin);
  await client.connect();
  await client.query(`CREATE DATABASE ${database}`);
  await client.end();
  const url = new URL(admin);
  url.pathname = `/${database}`;
  return { database, url: url.href };
}

/** Drops such a database, whoever is still connected to it. */
export async function dropDatabase(database: string): Promise<void> {
  const client = new pg.Client(process.env.DATABASE_URL);
  await client.connect();
  await client.query(`DROP DATABASE IF EXISTS ${database} WITH (FORCE)`);
  await client.end();
}

/** A migrated database without a server, for tests of what lies below the API. */
class TestDatabase {
  private constructor(
    private readonly database: string,
    readonly db: Database,
  ) {}

  static async start(): Promise<TestDatabase> {
    const { database, url } = await createDatabase();
    const db = new Database(url, { max: 6, strict: true });
    await migrate(db);
    return new TestDatabase(database, db);
  }

  /** A study with nothing set; its id. */
  study(name: string): Promise<string> {
    return this.db.withTransaction(async (client) => {
      const facts = { name, hazard: "flood", eventAt: null, studyArea: null };
      return (await createStudy(client, facts)).id;
    });
  }

  async stop(): Promise<void> {
    await this.db.close();
    await dropDatabase(this.database);
  }
}

/** A database for the tests of one file: made before the first of them, dropped after the last. */
export function databaseForTests() {
  let made: TestDatabase;
  beforeAll(async () => {
    made = await TestDatabase.start();
  }, 60_000);
  // Where it could not be made, that is what the tests say.
  afterAll(() => (made as TestDatabase | undefined)?.stop());
  return {
    get db(): Database {
      return made.db;
    },
    study: (name: string): Promise<string> => made.study(name),
    withClient: <T>(work: (client: Client) => Promise<T>): Promise<T> => made.db.withClient(work),
  };
}
