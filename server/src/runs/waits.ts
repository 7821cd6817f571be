import type { Database } from "../db/pool";
import { keepWanted, leaveWanted } from "../db/runs";

/** How often is said that pages still wait, milliseconds. */
const BEAT_MS = 5000;
/** How long a run goes on after that was said last, seconds. */
export const WANTED_S = 20;
/** How long one goes on that a page has left: for another server to say that others wait, seconds. */
const LEFT_S = 7;
/** How long a page whose line broke is remembered, to be back, milliseconds. */
const REMEMBERED_MS = 60_000;

interface Page {
  /** Lines over which it hears of runs. */
  lines: number;
  runs: Set<string>;
  gone?: NodeJS.Timeout;
}

/**
 * Which pages wait for which runs. A page is there as long as it listens to the stream of events: a
 * tab in the background waits, one that was closed does not. What nobody waits for ends.
 */
export class Waits {
  private readonly pages = new Map<string, Page>();
  private readonly beat: NodeJS.Timeout;

  constructor(private readonly db: Database) {
    this.beat = setInterval(() => void this.sayWanted().catch(() => {}), BEAT_MS);
    this.beat.unref();
  }

  private page(id: string): Page {
    const page = this.pages.get(id) ?? { lines: 0, runs: new Set() };
    this.pages.set(id, page);
    return page;
  }

  /** A page listens; gives what is to be called when it does no more. */
  open(id: string): () => void {
    const page = this.page(id);
    clearTimeout(page.gone);
    page.lines++;
    return () => {
      page.lines--;
      if (page.lines === 0) {
        page.gone = setTimeout(() => this.pages.delete(id), REMEMBERED_MS);
        page.gone.unref();
      }
    };
  }

  /** A page waits for a run. */
  async add(id: string, run: string): Promise<void> {
    this.page(id).runs.add(run);
    await this.db.withClient((client) => keepWanted(client, [run], WANTED_S));
  }

  /** A page waits no more. */
  async remove(id: string, run: string): Promise<void> {
    this.pages.get(id)?.runs.delete(run);
    const isWanted = [...this.pages.values()].some(({ lines, runs }) => lines > 0 && runs.has(run));
    if (!isWanted) {
      await this.db.withClient((client) => leaveWanted(client, run, LEFT_S));
    }
  }

  private async sayWanted(): Promise<void> {
    const here = [...this.pages.values()].filter(({ lines }) => lines > 0);
    const runs = [...new Set(here.flatMap((page) => [...page.runs]))];
    if (runs.length > 0) {
      await this.db.withClient((client) => keepWanted(client, runs, WANTED_S));
    }
  }

  close(): void {
    clearInterval(this.beat);
    for (const { gone } of this.pages.values()) {
      clearTimeout(gone);
    }
  }
}
