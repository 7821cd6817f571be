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
  const s = await TestServer.start({ env: { ARCHIVE_URL: archive.url } });
  process.env.HG_BASE = s.base;
  execFileSync(process.execPath, ["dist/world/demo.js", s.base, "data/demo"], { stdio: "inherit" });
  return async () => {
    await s.stop();
    archive.server.closeAllConnections();
    archive.server.close();
  };
}
