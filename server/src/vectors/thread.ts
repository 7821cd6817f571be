import { Piscina } from "piscina";
import { codeOf } from "@hindglance/core/errors";
import type { ErrorBody } from "@hindglance/contract/errors";
import { AppError } from "../errors";
import type { SentTask } from "./vectorThread";
import type { VectorKind, VectorReader, VectorWork } from "./tasks";

/** What comes back from the thread: the result, or an error as data. */
interface Back {
  value?: unknown;
  error?: { status: number; body: ErrorBody };
}

/** What a file of features may take to be read. */
export interface VectorLimits {
  milliseconds: number;
  /** Of memory that its features and what is made of them take. */
  megabytes: number;
}

const LIMITS: VectorLimits = { milliseconds: 120_000, megabytes: 640 };
/** The thread is let go soon, and its memory with it. */
const IDLE_MS = 2000;

/** The buffer of bytes that are all of it; none of bytes that share theirs with others. */
const wholeBuffer = ({ buffer, byteLength }: Uint8Array): ArrayBuffer[] =>
  buffer instanceof ArrayBuffer && buffer.byteLength === byteLength ? [buffer] : [];

const tooMuch = (name: string, what: string): AppError =>
  new AppError(
    422,
    "tooLarge",
    `${name} ${what}`,
    "file",
    "Simplify it, cut out the part that is needed, or save it in a plainer format.",
  );

/**
 * A thread that reads files of features, one after another, so that a large or hostile one holds up
 * nobody else, and takes no more memory and time than it may.
 */
export class VectorThread implements VectorReader {
  private readonly pool: Piscina<SentTask, Back>;
  private turn: Promise<unknown> = Promise.resolve();

  /** @param script the built thread */
  constructor(
    script: string,
    private readonly limits: VectorLimits = LIMITS,
  ) {
    this.pool = new Piscina({
      filename: script,
      minThreads: 0,
      maxThreads: 1,
      idleTimeout: IDLE_MS,
      resourceLimits: { maxOldGenerationSizeMb: limits.megabytes },
    });
  }

  run<K extends VectorKind>(
    kind: K,
    prepare: () => Promise<VectorWork[K]["task"]>,
  ): Promise<VectorWork[K]["result"]> {
    const done = this.turn.then(async () => this.perform(kind, await prepare()));
    this.turn = done.catch(() => undefined);
    return done;
  }

  /** @throws AppError in the words that the thread found, or where the file takes too much */
  private async perform<K extends VectorKind>(
    kind: K,
    task: VectorWork[K]["task"],
  ): Promise<VectorWork[K]["result"]> {
    const signal = AbortSignal.timeout(this.limits.milliseconds);
    // Handed over, not copied: the bytes are not needed here any more.
    const transferList = task.files.flatMap(({ bytes }) => wholeBuffer(bytes));
    const sent = this.pool.run({ kind, task }, { signal, transferList });
    const back = await sent.catch((error: unknown) => {
      if (signal.aborted) {
        throw tooMuch(task.name, "takes too long to be looked through");
      }
      if (codeOf(error) === "ERR_WORKER_OUT_OF_MEMORY") {
        throw tooMuch(task.name, "takes more memory than there is for it");
      }
      throw error;
    });
    if (back.error) {
      const { status, body } = back.error;
      throw new AppError(status, body.code, body.message, body.field, body.hint);
    }
    // The thread answers a task of a kind with the result of that kind.
    // eslint-disable-next-line @typescript-eslint/no-unsafe-type-assertion
    return back.value as VectorWork[K]["result"];
  }

  close(): Promise<void> {
    return this.pool.destroy();
  }
}
