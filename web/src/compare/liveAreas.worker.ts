import type { NodeSpec } from '@hindglance/core/graph/node';
import type { NodeView } from '../api/types';
import { LiveMeter } from './liveAreas';

// Measures areas beside the page. Only the newest question is answered: what a drag has left behind is skipped.
export type Ask = { gated: NodeView; spec: NodeSpec; seq: number };
let meter: { hash: string; meter: LiveMeter } | null = null;
let latest: Ask | null = null;
let busy = false;

async function work(): Promise<void> {
  if (busy) return;
  busy = true;
  while (latest) {
    const ask = latest;
    latest = null;
    try {
      if (meter?.hash !== ask.gated.hash) meter = { hash: ask.gated.hash, meter: new LiveMeter(ask.gated) };
      postMessage({ seq: ask.seq, areas: await meter.meter.measure(ask.spec) });
    } catch (e) { meter = null; postMessage({ seq: ask.seq, error: (e as Error).message }); }
    // Lets newer messages in.
    await new Promise((ok) => setTimeout(ok));
  }
  busy = false;
}
onmessage = (e: MessageEvent<Ask>) => { latest = e.data; void work(); };
