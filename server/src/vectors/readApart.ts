import { type ChildProcess, fork } from "node:child_process";
import type { ErrorBody } from "@hindglance/contract/errors";
import { AppError } from "../errors";
import type { VectorKind, VectorReader, VectorWork } from "./tasks";

/** A task on its way to the process. */
export interface SentTask<K extends VectorKind = VectorKind> {
  kind: K;
  task: VectorWork[K]["task"];
}

/** What comes back: the result, or an error as data. */
export interface Back {
  value?: unknown;
  error?: { status: number; body: ErrorBody };
}

/** What a file of features may take to be read. */
export interface VectorLimits {
  milliseconds: number;
  /** More of them for each megabyte of its bytes. */
  perMegabyte: number;
  /** Of memory that its features and what is made of them take. */
  megabytes: number;
}

const LIMITS: VectorLimits = { milliseconds: 15_000, perMegabyte: 2500, megabytes: 700 };
/** The process is let go soon, and its memory with it. */
const IDLE_MS = 5000;

const tooMuch = (name: string, what: string): AppError =>
  new AppError(
    422,
    "tooLarge",
    `${name} ${what}`,
    "file",
    "Simplify it, cut out the part that is needed, or save it in a plainer format.",
  );

/**
 * Reads files of features in a process of its own, one after another, so that a large or hostile one
 * holds up nobody else, and takes no more memory and time than it may.
 */
export class VectorsApart implements VectorReader {
  private child: ChildProcess | null = null;
  private idle: NodeJS.Timeout | undefined;
  private turn: Promise<unknown> = Promise.resolve();

  /** @param script the built process */
  constructor(
    private readonly script: string,
    private readonly limits: VectorLimits = LIMITS,
  ) {}

  run<K extends VectorKind>(
    kind: K,
    prepare: () => Promise<VectorWork[K]["task"]>,
  ): Promise<VectorWork[K]["result"]> {
    const done = this.turn.then(async () => this.perform({ kind, task: await prepare() }));
    this.turn = done.catch(() => undefined);
    return done;
  }

  /** @throws AppError in the words that the process found, or where the file takes too much */
  private async perform<K extends VectorKind>(sent: SentTask<K>): Promise<VectorWork[K]["result"]> {
    clearTimeout(this.idle);
    const child = (this.child ??= this.begin());
    const back = await this.answer(child, sent);
    this.idle = setTimeout(() => this.end(child), IDLE_MS).unref();
    if (back.error) {
      const { status, body } = back.error;
      throw new AppError(status, body.code, body.message, body.field, body.hint);
    }
    // The process answers a task of a kind with the result of that kind.
    // eslint-disable-next-line @typescript-eslint/no-unsafe-type-assertion
    return back.value as VectorWork[K]["result"];
  }

  private begin(): ChildProcess {
    const child = fork(this.script, {
      serialization: "advanced",
      execArgv: ["--enable-source-maps", `--max-old-space-size=${this.limits.megabytes}`],
      // What it says when its memory is at an end is said by the error.
      stdio: ["ignore", "inherit", "ignore", "ipc"],
    });
    child.once("exit", () => {
      this.child = this.child === child ? null : this.child;
    });
    return child;
  }

  private end(child: ChildProcess): void {
    this.child = this.child === child ? null : this.child;
    child.kill("SIGKILL");
  }

  /** What the process answers. @throws AppError where it takes too long, or ends */
  private async answer(child: ChildProcess, sent: SentTask): Promise<Back> {
    const { name, files } = sent.task;
    const bytes = files.reduce((sum, file) => sum + file.bytes.length, 0);
    const { milliseconds, perMegabyte } = this.limits;
    const { promise, resolve, reject } = withResolvers<Back>();
    const timer = setTimeout(
      () => {
        reject(tooMuch(name, "takes too long to be looked through"));
        this.end(child);
      },
      milliseconds + (perMegabyte * bytes) / 1e6,
    );
    const ended = () => reject(tooMuch(name, "takes more memory than there is for it"));
    child.once("message", resolve);
    child.once("exit", ended);
    child.send(sent, (error) => error && ended());
    try {
      return await promise;
    } finally {
      clearTimeout(timer);
      child.off("message", resolve);
      child.off("exit", ended);
    }
  }

  async close(): Promise<void> {
    clearTimeout(this.idle);
    if (this.child) {
      this.end(this.child);
    }
    await this.turn;
  }
}

/** A promise with what settles it. */
function withResolvers<T>() {
  let resolve!: (value: T) => void;
  let reject!: (error: Error) => void;
  const promise = new Promise<T>((ok, fail) => {
    resolve = ok;
    reject = fail;
  });
  return { promise, resolve, reject };
}
