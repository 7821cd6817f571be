import { randomUUID } from "node:crypto";
import { readFileSync } from "node:fs";
import { setTimeout as wait } from "node:timers/promises";
import { changesBetween } from "@hindglance/contract/changes";
import type { ComparisonView } from "@hindglance/contract/comparison";
import type { NodeView } from "@hindglance/contract/nodes";
import { lcg } from "@hindglance/core/testing/support";
import { bytes, call, ended } from "../server";

/** A study as an analyst finds it in the list. */
interface Listed {
  id: string;
  name: string;
}

/** Pause between two acts of one analyst at most, milliseconds. */
const THINK_MS = 4000;
/** Pause after something went wrong, milliseconds. */
const WRONG_MS = 2000;

/** What an analyst does: by name, with how often among the others. */
type Act = [name: string, often: number, act: (analyst: Analyst) => Promise<void>];

/**
 * Works in the demo studies as a person with a page does: looks at scenes, moves thresholds, reads
 * values, adds scenes to a study of his own and throws it away, writes maps and their files.
 */
export class Analyst {
  readonly page = randomUUID();
  private readonly random: () => number;
  private readonly leaving = new AbortController();
  /** Acts that were done and that went wrong, by their name. */
  readonly done: Record<string, number> = {};
  readonly wrong: string[] = [];

  constructor(
    readonly base: string,
    readonly number: number,
    private readonly sample: string,
  ) {
    this.random = lcg(1000 + number);
  }

  private pick<T>(all: readonly T[]): T {
    return all[Math.floor(this.random() * all.length)]!;
  }

  private ask<T>(method: string, path: string, body?: unknown): Promise<T> {
    return call<T>(this.base, method, path, body);
  }

  private async study(): Promise<Listed> {
    const all = await this.ask<Listed[]>("GET", "/studies");
    return this.pick(all.filter(({ name }) => !name.startsWith("Soak")));
  }

  /** Works until it is told to go. */
  async work(signal: AbortSignal): Promise<void> {
    void this.listen();
    while (!signal.aborted) {
      const [name, , act] = this.drawn();
      try {
        await act(this);
        this.done[name] = (this.done[name] ?? 0) + 1;
      } catch (error) {
        this.wrong.push(`${name}: ${String(error).slice(0, 300)}`);
        await wait(WRONG_MS);
      }
      await wait(this.random() * THINK_MS);
    }
    this.leaving.abort();
  }

  private drawn(): Act {
    const all = ACTS.reduce((sum, [, often]) => sum + often, 0);
    let at = this.random() * all;
    return ACTS.find(([, often]) => (at -= often) < 0) ?? ACTS[0]!;
  }

  /** A page hears of events as long as it is open; after a break it listens anew. */
  private async listen(): Promise<void> {
    const { signal } = this.leaving;
    while (!signal.aborted) {
      await fetch(`${this.base}/api/events?page=${this.page}`, { signal })
        .then(({ body }) => body?.pipeTo(new WritableStream(), { signal }))
        .catch(() => {});
    }
  }

  private async tiles(node: NodeView, most: number): Promise<void> {
    const { grid } = node.info;
    await Promise.all(
      Array.from({ length: most }, () => {
        const level = Math.floor(this.random() * node.levels);
        const along = (size: number) =>
          Math.floor(this.random() * Math.ceil(size / 2 ** level / node.block));
        return bytes(
          this.base,
          `/nodes/${node.hash}/tiles/${level}/${along(grid.height)}/${along(grid.width)}`,
        );
      }),
    );
  }

  /** Scenes: the list, one of them, its picture. */
  async look(): Promise<void> {
    const { id } = await this.study();
    for (const part of ["", "/scenes", "/uploads", "/arriving", "/zones", "/pins", "/orbits"]) {
      await this.ask("GET", `/studies/${id}${part}`);
    }
    const scenes = await this.ask<{ id: string; imageId: string | null }[]>(
      "GET",
      `/studies/${id}/scenes`,
    );
    const scene = this.pick(scenes.filter(({ imageId }) => imageId));
    await this.tiles(await this.ask<NodeView>("GET", `/scenes/${scene.id}/node`), 9);
  }

  /** Prepare and Align: the boards. */
  async boards(): Promise<void> {
    const { id } = await this.study();
    for (const family of ["radar", "optical"]) {
      await this.ask("GET", `/studies/${id}/prepare?family=${family}`);
    }
    await this.ask("GET", `/studies/${id}/align`);
    await this.ask("GET", `/studies/${id}/compare/sides`);
  }

  /** Compare: a threshold is moved, its areas are waited for or left, tiles and histograms come. */
  async compare(): Promise<void> {
    const { id } = await this.study();
    const path = `/studies/${id}/comparison`;
    const { comparison } = await this.ask<ComparisonView>("GET", path);
    if (!comparison?.setup) {
      return;
    }
    const moved = structuredClone(comparison);
    const test = moved.setup!.rules[0]!.all[0]!;
    test.value = Math.round((test.value + this.random() * 0.4 - 0.2) * 100) / 100;
    const changes = changesBetween(comparison, moved);
    const body = { changes, measure: "yes", page: this.page };
    const view = await this.ask<ComparisonView>("PATCH", path, body).catch((error: unknown) => {
      // Another analyst moved the same threshold in this moment: it is looked at again later.
      if (/changedElsewhere/.test(String(error))) {
        return null;
      }
      throw error;
    });
    if (!view) {
      return;
    }
    const { beforeId, afterId, setup } = moved;
    await Promise.all([
      view.nodes ? this.tiles(view.nodes.classes, 6) : null,
      view.nodes ? this.tiles(view.nodes.stack, 6) : null,
      this.ask("POST", `/studies/${id}/compare/histograms`, { beforeId, afterId, setup }),
    ]);
    if (view.areas?.state === "measuring") {
      const { runId } = view.areas;
      await this.ask("POST", `/runs/${runId}/wait`, { page: this.page });
      await wait(this.random() * THINK_MS);
      await this.ask("POST", `/runs/${runId}/leave`, { page: this.page });
    }
  }

  /** A study of one's own: a scene is sent, imported, looked at, and all of it thrown away. */
  async ownStudy(): Promise<void> {
    const named = { name: `Soak ${this.number}`, hazard: "flood" };
    const { id } = await this.ask<{ id: string }>("POST", "/studies", named);
    try {
      const response = await fetch(
        `${this.base}/api/studies/${id}/uploads?name=${encodeURIComponent(this.sample.split("/").pop()!)}&take=true`,
        { method: "POST", body: new Uint8Array(readFileSync(this.sample)) },
      );
      if (!response.ok) {
        throw new Error(`upload: ${response.status} ${await response.text()}`);
      }
      await response.arrayBuffer();
      const [scene] = await this.ask<{ id: string; runId: string | null }[]>(
        "GET",
        `/studies/${id}/scenes`,
      );
      if (scene?.runId) {
        await ended(this.base, scene.runId);
      }
      await this.tiles(await this.ask<NodeView>("GET", `/scenes/${scene!.id}/node`), 6);
    } finally {
      await this.ask("DELETE", `/studies/${id}`);
    }
  }

  /** A change map is written, read page by page, made a file of, and deleted. */
  async map(): Promise<void> {
    const { id } = await this.study();
    const { comparison } = await this.ask<ComparisonView>("GET", `/studies/${id}/comparison`);
    if (!comparison?.setup) {
      return;
    }
    const { beforeId, afterId, setup } = comparison;
    const body = { beforeId, afterId, setup, name: `Soak ${this.number}` };
    const { runId } = await this.ask<{ runId: string }>("POST", `/studies/${id}/change-maps`, body);
    await ended(this.base, runId);
    const { result } = await this.ask<{ result: { changeMapId: string } }>("GET", `/runs/${runId}`);
    const map = `/change-maps/${result.changeMapId}`;
    try {
      await this.ask("GET", `${map}/patches?limit=100`);
      const made = await this.ask<{ runId: string }>("POST", `${map}/files`, { format: "geojson" });
      await ended(this.base, made.runId);
      await this.tiles(await this.ask<NodeView>("GET", `${map}/node`), 4);
    } finally {
      await this.ask("DELETE", map);
    }
  }
}

const ACTS: Act[] = [
  ["look", 40, (analyst) => analyst.look()],
  ["boards", 15, (analyst) => analyst.boards()],
  ["compare", 30, (analyst) => analyst.compare()],
  ["own study", 6, (analyst) => analyst.ownStudy()],
  ["map", 3, (analyst) => analyst.map()],
];
