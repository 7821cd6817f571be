import { LRUCache } from "lru-cache";
import type { KeptReader } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { Window } from "@hindglance/core/grid/grid";
import type { Block } from "@hindglance/core/raster/block";
import type { Database } from "../db/pool";
import { findKept } from "../db/products";
import type { StoredSources } from "./sources";

/**
 * Chain results that are stored, found by node hash. What is there and what is not is remembered
 * for some seconds.
 */
export class KeptImages implements KeptReader {
  private readonly known = new LRUCache<string, Promise<string | null>>({ max: 4000, ttl: 4000 });
  private asked = new Map<
    string,
    { promise: Promise<string | null>; answer(id: string | null): void; fail(e: unknown): void }
  >();
  constructor(
    private readonly db: Database,
    private readonly sources: StoredSources,
  ) {}

  /** Questions of one moment go out together. */
  private image(hash: string): Promise<string | null> {
    let path = this.known.get(hash);
    if (path) {
      return path;
    }
    let answer!: (id: string | null) => void;
    let fail!: (e: unknown) => void;
    path = new Promise<string | null>((ok, no) => {
      answer = ok;
      fail = no;
    });
    path.catch(() => this.known.delete(hash));
    this.known.set(hash, path);
    if (this.asked.size === 0) {
      queueMicrotask(() => void this.ask());
    }
    this.asked.set(hash, { promise: path, answer, fail });
    return path;
  }
  private async ask(): Promise<void> {
    const all = this.asked;
    this.asked = new Map();
    try {
      const found = await this.db.withClient((client) => findKept(client, [...all.keys()]));
      for (const [hash, question] of all) {
        question.answer(found.get(hash) ?? null);
      }
    } catch (error) {
      for (const question of all.values()) {
        question.fail(error);
      }
    }
  }

  async has(hash: string): Promise<boolean> {
    return (await this.image(hash)) !== null;
  }
  async info(hash: string): Promise<ImageInfo> {
    return this.sources.info((await this.image(hash))!);
  }
  async read(hash: string, level: number, window: Window): Promise<Block> {
    return this.sources.read((await this.image(hash))!, level, window);
  }
}
