import { setTimeout as wait } from "node:timers/promises";
import { codeOf, messageOf } from "@hindglance/core/errors";

/**
 * Classes and codes of PostgreSQL that pass by themselves: a connection that broke, a server that
 * starts or stops, no connection left (here: "busy"), a transaction that met another one.
 */
const CODES = /^(08|57P0[1-3]$|53300$|40001$|40P01$|busy$)/;
/** The same as the driver and the network say it. */
const WORDS =
  /Connection terminated|connection error and is not queryable|timeout exceeded when trying to connect|ECONNREFUSED|ECONNRESET|EPIPE|server closed the connection/;

/** Whether the connection broke, so that it must not be used again. */
export const isConnectionLost = (error: unknown): error is Error =>
  /^(08|57P)/.test(codeOf(error)) || WORDS.test(messageOf(error));

/** Errors that are meant for people: their words may name anything. */
const FOR_PEOPLE = ["AppError", "InputError", "FormatError"];

/** Whether an error of the database passes by itself, so that the same can be tried again. */
export function isTransient(error: unknown): boolean {
  const isForPeople = error instanceof Error && FOR_PEOPLE.includes(error.name);
  return CODES.test(codeOf(error)) || (!isForPeople && WORDS.test(messageOf(error)));
}

/** How long somebody who asks waits for a database that is away, milliseconds. */
export const AWAY_MS = 15_000;

/** The first pause before another try, and the longest one, milliseconds. */
const FIRST_PAUSE = 50;
const LONGEST_PAUSE = 2000;

/**
 * Does something again while it fails for what passes by itself, with pauses that grow. What is
 * done must be harmless when done twice.
 * @param forMs how long it is tried
 * @throws what was thrown last
 */
export async function tried<T>(
  work: () => Promise<T>,
  { forMs, signal }: { forMs: number; signal?: AbortSignal },
): Promise<T> {
  const end = Date.now() + forMs;
  for (let pause = FIRST_PAUSE; ; pause = Math.min(2 * pause, LONGEST_PAUSE)) {
    try {
      return await work();
    } catch (error) {
      if (!isTransient(error) || signal?.aborted || Date.now() + pause > end) {
        throw error;
      }
    }
    await wait(pause, undefined, signal ? { signal } : {});
  }
}
