import { type Found, archiveRoutes } from "@hindglance/contract/archive";
import { type ServerClient, wordsOf } from "@hindglance/contract/client";
import type { Database } from "../db/pool";
import { type DueSearch, setLooked, takeDue } from "../db/standingSearches";
import type { Teller } from "./tell";

/** How often is looked whether a search is due, milliseconds. */
const LOOK_MS = 5000;
/** How often one item is asked for: a fetch that fails is tried again with the next look. */
const TRIES = 3;

/** Items that are to be fetched now: new ones, and those whose fetch came to nothing. */
export const itemsDue = (
  found: readonly Found[],
  { asked, mostAtOnce }: Pick<DueSearch, "asked" | "mostAtOnce">,
): Found[] =>
  found.filter(({ id, have }) => !have && (asked[id] ?? 0) < TRIES).slice(0, mostAtOnce);

/** Looks into the archive again and again for what appears over study areas, and fetches it. */
export class SearchWatch {
  private timer: NodeJS.Timeout | null = null;
  private isLooking = false;

  constructor(
    private readonly db: Database,
    private readonly api: ServerClient,
    private readonly teller: Teller,
    private readonly onError: (error: unknown) => void,
  ) {}

  start(): void {
    this.timer = setInterval(() => void this.look().catch(this.onError), LOOK_MS);
  }

  stop(): void {
    if (this.timer) {
      clearInterval(this.timer);
    }
  }

  /** Looks with every search that is due, one after the other. */
  async look(): Promise<void> {
    if (this.isLooking) {
      return;
    }
    this.isLooking = true;
    try {
      for (let due = await this.due(); due; due = await this.due()) {
        await this.lookWith(due);
      }
    } finally {
      this.isLooking = false;
    }
  }

  private due(): Promise<DueSearch | null> {
    return this.db.withClient(takeDue);
  }

  /** @throws Error where the database is away */
  private async lookWith(due: DueSearch): Promise<void> {
    const told = { studyId: due.studyId, stage: "scenes" };
    try {
      const items = itemsDue(await this.found(due), due);
      const asked = { ...due.asked };
      for (const { id } of items) {
        asked[id] = (asked[id] ?? 0) + 1;
      }
      if (items.length > 0) {
        await this.fetch(due, items);
      }
      await this.db.withClient((client) => setLooked(client, due.id, { asked, problem: null }));
      if (items.length > 0) {
        const names = items.map(({ title }) => title).join(", ");
        const text = `The archive has ${names}: fetched by a standing search.`;
        await this.teller.tell({ ...told, tone: "said", text });
      }
    } catch (error) {
      const problem = wordsOf(error);
      await this.db.withClient((client) =>
        setLooked(client, due.id, { asked: due.asked, problem }),
      );
      // What goes on being wrong is told once.
      if (problem !== due.problem) {
        await this.teller.tell({ ...told, tone: "wrong", text: `A standing search: ${problem}` });
      }
    }
  }

  private actingFor({ actor }: DueSearch): ServerClient {
    return this.api.actingAs(`${actor ?? "nobody named"}, by a standing search`);
  }

  private async found(due: DueSearch): Promise<Found[]> {
    const { items } = await this.actingFor(due).call(archiveRoutes.search, {
      params: { id: due.studyId },
      body: {
        ...{ kind: "radar", from: new Date(due.since).toISOString().slice(0, 10), to: null },
        ...{ pass: due.pass, polarisation: due.polarisation, anywhere: false, next: null },
      },
    });
    return items;
  }

  private async fetch(due: DueSearch, items: readonly Found[]): Promise<void> {
    await this.actingFor(due).call(archiveRoutes.fetch, {
      params: { id: due.studyId },
      body: { kind: "radar", items: items.map(({ collection, id }) => ({ collection, id })) },
    });
  }
}
