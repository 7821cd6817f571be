import { execFileSync } from "node:child_process";
import { fileURLToPath } from "node:url";
import { TestServer } from "@hindglance/server/testing/harness";
import { serveArchive } from "@hindglance/world/archive/serve";

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
  return async () => {
    await testServer.stop();
    archive.server.closeAllConnections();
    archive.server.close();
  };
}
