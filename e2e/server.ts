import { execFileSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { TestServer } from '@hindglance/server/testing/harness';

/** Starts a server with the demo study for the journeys. Its address goes to them by the environment. */
export default async function start(): Promise<() => Promise<void>> {
  process.chdir(fileURLToPath(new URL('..', import.meta.url)));
  const s = await TestServer.start();
  process.env.HG_BASE = s.base;
  execFileSync(process.execPath, ['dist/world/demo.js', s.base, 'data/demo'], { stdio: 'inherit' });
  return () => s.stop();
}
