import { AsyncLocalStorage } from "node:async_hooks";

/** Letters of a name at the most. */
const LONGEST = 200;

const acting = new AsyncLocalStorage<string | null>();

/** Who acts here, where that was said. */
export const actor = (): string | null => acting.getStore() ?? null;

/** Does something in somebody's name, and all that follows from it. */
export const actingAs = <T>(name: string | null, work: () => T): T => acting.run(name, work);

/** A name out of a header; null where none was said, or it cannot be read. */
export function actorIn(header: string | string[] | undefined): string | null {
  if (typeof header !== "string") {
    return null;
  }
  try {
    return decodeURIComponent(header).trim().slice(0, LONGEST) || null;
  } catch {
    return null;
  }
}
