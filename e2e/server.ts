import { execFileSync } from "node:child_process";
import { existsSync } from "node:fs";
import { setTimeout } from "node:timers/promises";
import { fileURLToPath } from "node:url";
import { TestServer } from "@hindglance/server/testing/harness";
import { serveArchive } from "@hindglance/world/archive/serve";

const LOOK_EVERY_MS = 500;

/** Waits until other tests are done, where whoever began the journeys says by which file that is known. */
async function whenMayGo(file: string | undefined): Promise<void> {
  while (file && !existsSync(file)) {
    await setTimeout(LOOK_EVERY_MS);
  }
}

/**
 * Starts a server with the demo study and the made-up world's archive for the journeys. Its address
 * goes to them by the environment.
 */
export default async function start(): Promise<() => Promise<void>> {
  process.chdir(fileURLToPath(new URL("..", import.meta.url)));
  const archive = await serveArchive("data/demo", "127.0.0.1", 0);
  const testServer = await TestServer.start({ env: { ARCHIVE_URL: archive.url } });
  process.env.HG_BASE = testServer.base;
  execFileSync(process.execPath, ["dist/world/demo.js", testServer.base, "data/demo"], {
    stdio: "inherit",
  });
  await whenMayGo(process.env.JOURNEYS_GO);
  return async () => {
    await testServer.stop();
    archive.server.closeAllConnections();
    archive.server.close();
  };
}
