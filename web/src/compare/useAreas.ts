import { compareRoutes } from "@hindglance/contract/compare";
import { runRoutes } from "@hindglance/contract/runs";
import { call } from "../api/call";
import { useEffect, useMemo, useRef, useState } from "react";
import { useQuery } from "@tanstack/react-query";
import type { CompareAreas } from "@hindglance/contract/comparison";
import type { ChangeNodes } from "@hindglance/core/change/setup";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { useRuns } from "../api/hooks";
import { PAGE, useLine } from "../api/page";
import type { CompareNodes } from "../api/types";
import type { LiveAreas } from "./liveAreas";
import type { Ask } from "./liveAreas.worker";
import { type ExactAreas, areasOf } from "./pair";

const hashOf = (spec: NodeSpec): string => nodeHash(spec, versionOf);

/** Whether the worker can measure what is built here on what the server has made known. */
const fits = (nodes: CompareNodes, built: ChangeNodes): boolean =>
  hashOf(built.gated) === nodes.gated.hash &&
  (!built.groups || hashOf(built.groups.groups) === nodes.groups?.groups.hash);

const askFor = (nodes: CompareNodes, built: ChangeNodes, seq: number): Ask => ({
  base: {
    gated: nodes.gated,
    groups: built.groups ? (nodes.groups?.groups ?? null) : null,
    layers: built.layers.map((layer) => ({ name: layer.name, hash: hashOf(layer.node) })),
  },
  spec: built.classes,
  seq,
});

interface Measured {
  areas: LiveAreas | null;
  /** The map that the areas are of. */
  hash: string | null;
}

/**
 * Areas from the worker, at overview level, for the settings on screen. Asks no server while the
 * stack stays the same.
 */
export function useLiveAreas(nodes: CompareNodes | null, built: ChangeNodes | null): Measured {
  const worker = useRef<Worker | null>(null);
  const asked = useRef({ seq: 0, hashes: new Map<number, string>() });
  const [state, set] = useState<Measured>({ areas: null, hash: null });
  useEffect(() => {
    const { hashes } = asked.current;
    const own = new Worker(new URL("./liveAreas.worker.ts", import.meta.url), { type: "module" });
    own.onmessage = ({
      data,
    }: MessageEvent<{ seq: number; areas?: LiveAreas; error?: string }>) => {
      const hash = hashes.get(data.seq) ?? null;
      [...hashes.keys()].filter((seq) => seq <= data.seq).forEach((seq) => hashes.delete(seq));
      if (data.areas) {
        set({ areas: data.areas, hash });
      } else {
        console.warn("Live areas:", data.error);
      }
    };
    worker.current = own;
    return () => {
      own.terminate();
      worker.current = null;
    };
  }, []);
  useEffect(() => {
    if (!nodes || !built || !fits(nodes, built)) {
      return;
    }
    const seq = ++asked.current.seq;
    asked.current.hashes.set(seq, hashOf(built.classes));
    worker.current?.postMessage(askFor(nodes, built, seq));
  }, [nodes, built]);
  return state;
}

/** What was said last of waiting: one thing after the other, so that the last one counts. */
let said: Promise<unknown> = Promise.resolve();
function sayOf(what: "wait" | "leave", id: string): void {
  // What cannot be said is said again with the next line.
  said = said
    .then(() => call(runRoutes[what], { params: { id }, body: { page: PAGE } }))
    .catch(() => {});
}

/** Lets the server know that this page waits for a run, as long as it shows what waits for it. */
function useWait(runId: string | null): void {
  const line = useLine(({ made }) => made);
  useEffect(() => {
    if (runId) {
      sayOf("wait", runId);
    }
  }, [runId, line]);
  useEffect(() => (runId ? () => sayOf("leave", runId) : undefined), [runId]);
}

/**
 * Exact areas of a map: as the server's answer has them, or as its run gave them in the end.
 * `running`: how far the run is, 0–1, or null.
 */
export function useExactAreas(answer: CompareAreas | null): {
  areas: ExactAreas | null;
  running: number | null;
} {
  const runId = answer?.state === "measuring" ? answer.runId : null;
  const run = useRuns().data?.find((other) => other.id === runId);
  useWait(run && run.state !== "running" ? null : runId);
  const done = useQuery({
    queryKey: ["tally", answer?.hash],
    queryFn: () => call(compareRoutes.tally, { params: { hash: answer!.hash } }),
    enabled: run?.state === "done",
    staleTime: Infinity,
  });
  const known = answer?.state === "known" ? answer.tally : null;
  const tally = known ?? done.data?.tally ?? null;
  const areas = useMemo(() => (tally ? areasOf(tally) : null), [tally]);
  return { areas, running: run?.state === "running" ? run.progress : null };
}
