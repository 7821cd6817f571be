import { type NewNews, addNews } from "../db/news";
import type { Database } from "../db/pool";
import { type NoticeTargets, sendNotice } from "../recipes/notices";

/** Tells what happened while nobody was looking: on the page, and to the address and the file that the server was given. */
export class Teller {
  constructor(
    private readonly db: Database,
    private readonly targets: NoticeTargets,
  ) {}

  /** @throws Error where the other side does not take it; on the page it stands all the same */
  async tell(news: NewNews): Promise<void> {
    await this.db.withTransaction((client) => addNews(client, news));
    await sendNotice(this.targets, { at: new Date().toISOString(), ...news });
  }
}
