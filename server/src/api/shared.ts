import { LRUCache } from "lru-cache";
import type { Response } from "express";

/** A signal that says when nobody waits for an answer any more. */
export function whenLeft(res: Response): AbortSignal {
  const stop = new AbortController();
  res.once("close", () => {
    if (!res.writableEnded) {
      stop.abort();
    }
  });
  return stop.signal;
}

interface Shared<T> {
  made: Promise<T>;
  stop: AbortController;
  waiting: number;
  isDone: boolean;
}

/**
 * Work that several wait for: done once for a key and remembered. It is given up when all that
 * waited have left; what fails is done again the next time.
 * @param max how many results are remembered
 */
export function shared<T extends object>(max: number) {
  const cache = new LRUCache<string, Shared<T>>({ max });
  const begin = (key: string, make: (signal: AbortSignal) => Promise<T>): Shared<T> => {
    const stop = new AbortController();
    const entry: Shared<T> = { made: make(stop.signal), stop, waiting: 0, isDone: false };
    const forget = () => {
      if (cache.peek(key) === entry) {
        cache.delete(key);
      }
    };
    stop.signal.addEventListener("abort", forget, { once: true });
    entry.made.then(() => {
      entry.isDone = true;
    }, forget);
    cache.set(key, entry);
    return entry;
  };
  return (
    key: string,
    left: AbortSignal,
    make: (signal: AbortSignal) => Promise<T>,
  ): Promise<T> => {
    const entry = cache.get(key) ?? begin(key, make);
    entry.waiting++;
    const leave = () => {
      entry.waiting--;
      if (entry.waiting === 0 && !entry.isDone) {
        entry.stop.abort();
      }
    };
    if (left.aborted) {
      leave();
    } else {
      left.addEventListener("abort", leave, { once: true });
    }
    return entry.made;
  };
}
