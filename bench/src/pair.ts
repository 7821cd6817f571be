import { createReadStream, readFileSync, readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import type { ChangeSetup } from '@hindglance/core/change/setup';
import { emptySetup, initialRules, type PairHistograms } from '@hindglance/core/change/defaults';

/**
 * Takes the two files of a folder through a running server: import, first preview tile, histograms, exact areas, change map
 * with a minimum patch, tally, files. Prints the time of each and the largest memory of all the server's processes together.
 * @param base address of a server on this machine; the study it makes is deleted at the end
 */
export async function measurePair(base: string, folder: string): Promise<void> {
  let peak = 0;
  const watch = setInterval(() => { peak = Math.max(peak, serverMemoryMB()); }, 200);
  const line = (what: string, from: number, more = '') => console.log(`| ${what} | ${((performance.now() - from) / 1000).toFixed(2)} | ${Math.round(peak)} | ${more} |`);
  console.log('| work | seconds | peak memory of the server so far, MB | |\n| --- | ---: | ---: | --- |');
  const study = await call<{ id: string }>(base, 'POST', '/studies', { name: `Large pair ${Date.now()}`, hazard: 'flood', eventAt: '2025-05-12T05:20:00Z' });
  try {
    const scenes: string[] = [];
    for (const name of readdirSync(folder).filter((f) => f.endsWith('.tif')).sort()) {
      let t = performance.now();
      const u = await upload(base, study.id, join(folder, name), name);
      line(`upload ${name}`, t, `${Math.round(statSync(join(folder, name)).size / 1e6)} MB`);
      t = performance.now();
      const s = await call<{ scene: { id: string }; runId: string }>(base, 'POST', `/studies/${study.id}/scenes`, { uploadId: u.id, kind: u.detail.kind, name, acquiredAt: u.detail.acquiredAt });
      await ended(base, s.runId);
      line('import', t);
      scenes.push(s.scene.id);
    }
    const pair = { beforeId: scenes[0]!, afterId: scenes[1]! };
    let setup: ChangeSetup = { ...emptySetup({ looks: 4.4, hasStudyArea: false, hasElevation: false }), speckle: { filter: 'refinedLee', windowCells: 7, looks: 4.4 } };
    let t = performance.now();
    const h = await call<PairHistograms>(base, 'POST', `/studies/${study.id}/compare/histograms`, { ...pair, setup });
    line('histograms of before, after and measure, and suggestions', t);
    setup = { ...setup, rules: initialRules(h) };
    for (const looks of [4.4, 5.1]) {
      // A setup never asked before: nothing of it is in any cache. The overview, then a tile in full detail.
      const fresh: ChangeSetup = { ...setup, speckle: { ...setup.speckle, looks: looks + 0.01 } };
      for (const level of [3, 0]) {
        t = performance.now();
        const n = await call<{ stack: { hash: string } }>(base, 'POST', `/studies/${study.id}/compare/nodes`, { ...pair, setup: fresh });
        await bytes(base, `/nodes/${n.stack.hash}/tiles/${level}/1/1`);
        line(`first preview tile, level ${level}, after a new parameter`, t);
      }
    }
    t = performance.now();
    const areas = await call<{ runId?: string }>(base, 'POST', `/studies/${study.id}/compare/areas`, { ...pair, setup });
    if (areas.runId) await ended(base, areas.runId);
    line('exact areas', t);
    t = performance.now();
    const map = await call<{ runId: string }>(base, 'POST', `/studies/${study.id}/change-maps`, { ...pair, setup, name: 'Large' });
    await ended(base, map.runId);
    line('change map with minimum patch, pyramid and tally', t);
    const id = (await call<{ id: string }[]>(base, 'GET', `/studies/${study.id}/change-maps`))[0]!.id;
    for (const format of ['cog', 'geojson', 'csv']) {
      t = performance.now();
      const f = await call<{ runId: string }>(base, 'POST', `/change-maps/${id}/files`, { format });
      await ended(base, f.runId);
      line(`file: ${format}`, t);
    }
  } finally {
    clearInterval(watch);
    await call(base, 'DELETE', `/studies/${study.id}`);
  }
}

async function call<T>(base: string, method: string, path: string, body?: unknown): Promise<T> {
  const r = await fetch(`${base}/api${path}`, { method, headers: { 'content-type': 'application/json' }, body: body === undefined ? undefined : JSON.stringify(body) });
  const text = await r.text();
  if (!r.ok) throw new Error(`${method} ${path}: ${r.status} ${text}`);
  return (text ? JSON.parse(text) : null) as T;
}

async function bytes(base: string, path: string): Promise<void> {
  const r = await fetch(`${base}/api${path}`);
  if (!r.ok) throw new Error(`${path}: ${r.status} ${await r.text()}`);
  await r.arrayBuffer();
}

async function upload(base: string, study: string, file: string, name: string): Promise<{ id: string; detail: { kind: string; acquiredAt: string | null } }> {
  const r = await fetch(`${base}/api/studies/${study}/uploads?name=${encodeURIComponent(name)}`, { method: 'POST', headers: { 'content-type': 'application/octet-stream', 'content-length': String(statSync(file).size) }, body: Readable.toWeb(createReadStream(file, { highWaterMark: 1 << 20 })) as ReadableStream, duplex: 'half' } as RequestInit);
  if (!r.ok) throw new Error(`upload: ${r.status} ${await r.text()}`);
  return (await r.json()) as never;
}

async function ended(base: string, run: string): Promise<void> {
  for (;;) {
    const r = await call<{ state: string; title: string; error: { message: string } | null }>(base, 'GET', `/runs/${run}`);
    if (r.state === 'done') return;
    if (r.state !== 'running') throw new Error(`${r.title}: ${r.error?.message ?? r.state}`);
    await new Promise((ok) => setTimeout(ok, 100));
  }
}

/** Resident memory of every process of the server and its workers on this machine, MB (Linux). */
function serverMemoryMB(): number {
  let sum = 0;
  for (const pid of readdirSync('/proc')) {
    if (!/^\d+$/.test(pid)) continue;
    try {
      if (!/dist\/server\/(main|worker)\.js/.test(readFileSync(`/proc/${pid}/cmdline`, 'utf8'))) continue;
      sum += Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;
    } catch { /* the process ended meanwhile */ }
  }
  return sum;
}
