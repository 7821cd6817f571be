import type { NodeSpec } from "@hindglance/core/graph/node";
import { type LiveBase, LiveMeter } from "./liveAreas";
import { messageOf } from "@hindglance/core/errors";

// Measures areas beside the page. Only the newest question is answered: what a drag has left behind
// is skipped.
export type Ask = { base: LiveBase; spec: NodeSpec; seq: number };
let meter: { key: string; meter: LiveMeter } | null = null;
const keyOf = (liveBase: LiveBase): string =>
  JSON.stringify([liveBase.gated.hash, liveBase.groups?.hash ?? null, liveBase.layers]);
let latest: Ask | null = null;
let busy = false;

async function work(): Promise<void> {
  if (busy) {
    return;
  }
  busy = true;
  while (latest) {
    const ask = latest;
    latest = null;
    try {
      const key = keyOf(ask.base);
      if (meter?.key !== key) {
        meter = { key, meter: new LiveMeter(ask.base) };
      }
      postMessage({ seq: ask.seq, areas: await meter.meter.measure(ask.spec) });
    } catch (error) {
      meter = null;
      postMessage({ seq: ask.seq, error: messageOf(error) });
    }
    // Lets newer messages in.
    await new Promise((ok) => setTimeout(ok));
  }
  busy = false;
}
onmessage = (e: MessageEvent<Ask>) => {
  latest = e.data;
  void work();
};
