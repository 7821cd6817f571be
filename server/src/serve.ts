import type { Server } from "node:http";
import { type Logger, pino } from "pino";
import { messageOf } from "@hindglance/core/errors";
import { makeApp } from "./api/app";
import type { Services } from "./api/services";
import { archiveFromEnv } from "./archive/archive";
import type { Config } from "./config";
import { migrate } from "./db/migrations";
import { Database } from "./db/pool";
import { isTransient } from "./db/transient";
import { portOf } from "./port";
import { StoredSources } from "./eval/sources";
import { VectorsApart } from "./vectors/readApart";
import { PreviewPool } from "./preview/pool";
import { Settling } from "./products/settle";
import { ServerClient } from "@hindglance/contract/client";
import { RecipeRunner } from "./recipes/runner";
import { Engine } from "./runs/engine";
import { RUN_KINDS } from "./runs/kinds";
import { tellOfServer } from "./runs/tellOfSelf";
import { Waits } from "./runs/waits";
import { SWEEP_MS, sweep } from "./sweeping";
import { FolderWatch } from "./watch/folder";
import { SearchWatch } from "./watch/searches";
import { Teller } from "./watch/tell";

/** How often is looked whether an upload was left undecided, milliseconds. */
const SETTLE_MS = 5000;
/** How long a line may be silent, milliseconds. */
const SILENT_MS = 600_000;

export interface Running {
  server: Server;
  address: string;
  services: Services;
  close(): Promise<void>;
}

/**
 * Says what goes wrong with what is done again and again, and the same only once until something else
 * does; a database that is away in a line.
 */
function grumbler(log: Logger): (error: unknown) => void {
  let last = "";
  return (error) => {
    const words = messageOf(error);
    if (words !== last) {
      last = words;
      log.warn(isTransient(error) ? words : error);
    }
  };
}

const addressOf = (host: string, port: number): string =>
  `http://${host.includes(":") ? `[${host}]` : host}:${port}`;

/** Names by which pages may call the server. */
const hostsOf = ({ host, allowedHosts }: Config, port: number): string[] => [
  ...new Set([
    `${host}:${port}`,
    `127.0.0.1:${port}`,
    `localhost:${port}`,
    `[::1]:${port}`,
    ...allowedHosts,
  ]),
];

/** The server's own API over the machine itself, whoever else it listens to. */
const ownApi = (host: string, port: number): ServerClient =>
  new ServerClient(addressOf(host === "0.0.0.0" || host === "::" ? "127.0.0.1" : host, port));

/** Begins to move runs of recipes on. */
function recipesOf(
  { db, config }: Services,
  api: ServerClient,
  onError: (error: unknown) => void,
): RecipeRunner {
  const recipes = new RecipeRunner(db, api, onError, config.notices);
  recipes.start();
  return recipes;
}

/** Begins what comes in by itself: standing searches, and the watched folder where one is set. */
async function watchesOf(
  { db, config, log }: Services,
  api: ServerClient,
  onError: (error: unknown) => void,
): Promise<{ stop(): void }[]> {
  const teller = new Teller(db, config.notices);
  const searches = new SearchWatch(db, api, teller, onError);
  searches.start();
  if (!config.watchFolder) {
    return [searches];
  }
  const most = config.maxUploadBytes;
  const folder = new FolderWatch(config.watchFolder, most, api, teller, onError);
  await folder.recover();
  folder.start();
  log.info("a folder is watched");
  return [searches, folder];
}

/** Built threads and processes of the server. */
interface Scripts {
  preview: string;
  vectors: string;
}

/** Starts the API on a migrated database. Workers are separate processes; see main.ts. */
export async function serve(config: Config, scripts: Scripts): Promise<Running> {
  const log = pino({ level: config.logLevel });
  const grumble = grumbler(log);
  const db = new Database(config.databaseUrl, { max: 10, strict: config.checkAnswers });
  await migrate(db);
  const engine = new Engine(db, RUN_KINDS);
  await sweep(db, config.ages);
  await engine.recover();
  const waits = new Waits(db);
  const vectors = new VectorsApart(scripts.vectors);
  const submit: Engine["submit"] = (client, order) => engine.submit(client, order);
  const settling = new Settling({ db, vectors, submit, log });
  const previews = new PreviewPool(scripts.preview, config.databaseUrl, 2, 64 << 20);
  let hosts: string[] = [];
  const services: Services = {
    config,
    db,
    engine,
    settling,
    waits,
    previews,
    vectors,
    sources: new StoredSources(db, 2 << 20),
    log,
    archive: archiveFromEnv(),
    allowedHosts: () => hosts,
  };
  const app = makeApp(services);
  const server = await new Promise<Server>((resolve, reject) => {
    const s = app.listen(config.port, config.host, (error?: Error) =>
      error ? reject(error) : resolve(s),
    );
  });
  // A large file over a slow line takes hours; only a line that is silent is cut.
  server.requestTimeout = 0;
  server.setTimeout(SILENT_MS);
  const port = portOf(server.address());
  hosts = hostsOf(config, port);
  const own = ownApi(config.host, port);
  const recipes = recipesOf(services, own, grumble);
  const watches = await watchesOf(services, own, grumble);
  // What dead workers left goes to others; what nobody moved on goes on.
  const supervisor = setInterval(() => {
    void engine.recover().catch(grumble);
    void engine.cancelUnwanted().catch(grumble);
  }, 2000);
  // What another server left when it died is decided on here.
  void settling.settleLeft(0).catch(grumble);
  const settler = setInterval(() => void settling.settleLeft().catch(grumble), SETTLE_MS);
  const broom = setInterval(() => {
    void sweep(db, config.ages).catch(grumble);
  }, SWEEP_MS);
  const silent = tellOfServer(db);
  return {
    server,
    services,
    address: addressOf(config.host, port),
    async close() {
      clearInterval(supervisor);
      recipes.stop();
      watches.forEach((watch) => watch.stop());
      waits.close();
      clearInterval(settler);
      clearInterval(broom);
      server.closeAllConnections();
      await new Promise((ok) => server.close(ok));
      await silent();
      await previews.close();
      await vectors.close();
      await db.close();
    },
  };
}
