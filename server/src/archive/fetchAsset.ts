import { AppError } from "../errors";
import { type ArchiveSettings, archiveError, ask, bodyOf } from "./transport";

/** What an asset must be: its size where the archive gives it, and how it has to begin. */
export interface Expected {
  name: string;
  bytes: number | null;
  maxBytes: number;
  begins: "zip" | "tiff" | "xml" | "picture";
}
/** Bytes of a file that its beginning is looked at by. */
const HEAD = 64;

/** Whether a text begins as XML does, and is no page for people. */
const isXml = (text: string): boolean =>
  /^\ufeff?\s*</.test(text) && !/^\ufeff?\s*<(!doctype html|html)/i.test(text);

const BEGINNINGS: Record<Expected["begins"], { name: string; test(bytes: Buffer): boolean }> = {
  zip: { name: "a zip", test: (bytes) => bytes.readUInt32BE(0) === 0x504b0304 },
  tiff: {
    name: "a TIFF",
    test: (bytes) =>
      ["49492a00", "4d4d002a", "49492b00", "4d4d002b"].includes(bytes.toString("hex", 0, 4)),
  },
  xml: { name: "XML", test: (bytes) => isXml(bytes.toString("utf8", 0, HEAD)) },
  picture: { name: "a picture", test: (bytes) => pictureType(bytes) !== null },
};
/** Media type of a picture by its first bytes; null when it is none that a page should show. */
export const pictureType = (b: Uint8Array): string | null => {
  const h = Buffer.from(b).toString("hex", 0, 12);
  if (h.startsWith("89504e470d0a1a0a")) {
    return "image/png";
  }
  if (h.startsWith("ffd8ff")) {
    return "image/jpeg";
  }
  if (/^52494646.{8}57454250$/.test(h)) {
    return "image/webp";
  }
  return null;
};

/** Cancels an answer that is not read. */
async function refuse(response: Response, why: string): Promise<never> {
  await response.body?.cancel();
  throw archiveError(why);
}

/** How many bytes an answer says that it has; null where it does not. */
function lengthOf({ headers }: Response): number | null {
  const length = headers.has("content-encoding") ? null : headers.get("content-length");
  const bytes = length === null ? NaN : Number(length);
  return Number.isFinite(bytes) ? bytes : null;
}

/** Most bytes that an answer may have, and whether that is exactly how many it must have. */
interface Limit {
  bytes: number;
  isExact: boolean;
}

/** @throws AppError where the answer is none, or has another size than the archive lists */
async function limitOf(response: Response, expected: Expected): Promise<Limit> {
  const { name, bytes, maxBytes } = expected;
  if (!response.ok) {
    return refuse(
      response,
      response.status === 404
        ? `The archive lists ${name} but does not have it`
        : `The archive answers with status ${response.status} for ${name}`,
    );
  }
  const said = lengthOf(response);
  if (bytes !== null && said !== null && said !== bytes) {
    return refuse(response, `The archive lists ${name} with ${bytes} bytes, but sends ${said}`);
  }
  const limit = bytes ?? said ?? maxBytes;
  if (limit > maxBytes) {
    return refuse(
      response,
      `${name} has ${limit} bytes, more than the ${maxBytes} that can be taken`,
    );
  }
  return { bytes: limit, isExact: bytes !== null || said !== null };
}

/** @throws AppError where a file does not begin as one of its kind */
function requireBeginning(head: Buffer, { begins, name }: Expected): void {
  if (head.length < 4 || !BEGINNINGS[begins].test(head)) {
    throw archiveError(
      `The archive should send ${BEGINNINGS[begins].name} for ${name}, but sends something else`,
    );
  }
}

/** Hands chunks on; nothing before its beginning was looked at. @throws AppError */
async function* checkedChunks(
  chunks: AsyncIterable<Uint8Array>,
  expected: Expected,
  limit: Limit,
): AsyncGenerator<Uint8Array> {
  let size = 0;
  let head: Buffer | null = Buffer.alloc(0);
  for await (const chunk of chunks) {
    size += chunk.length;
    if (size > limit.bytes) {
      throw archiveError(
        `The archive sends more of ${expected.name} than the ${limit.bytes} bytes it announced`,
      );
    }
    if (!head) {
      yield chunk;
      continue;
    }
    head = Buffer.concat([head, chunk]);
    if (head.length >= HEAD || size >= limit.bytes) {
      requireBeginning(head, expected);
      yield head;
      head = null;
    }
  }
  if (head) {
    requireBeginning(head, expected);
    yield head;
  }
  if (limit.isExact && size !== limit.bytes) {
    throw archiveError(
      `The archive broke off: only ${size} of ${limit.bytes} bytes of ${expected.name} arrived`,
    );
  }
}

/** Ends what takes longer than a time without a sign of life. */
class Patience {
  private readonly stop = new AbortController();
  private timer: NodeJS.Timeout;
  constructor(private readonly milliseconds: number) {
    this.timer = this.start();
  }

  get signal(): AbortSignal {
    return this.stop.signal;
  }

  private start(): NodeJS.Timeout {
    const end = () => this.stop.abort(new DOMException("silence", "TimeoutError"));
    return setTimeout(end, this.milliseconds);
  }

  /** Chunks as they come, each a sign of life; `counted` is told how many bytes came. */
  async *watch(
    chunks: AsyncIterable<Uint8Array>,
    counted: (bytes: number) => void,
  ): AsyncGenerator<Uint8Array> {
    for await (const chunk of chunks) {
      clearTimeout(this.timer);
      this.timer = this.start();
      counted(chunk.length);
      yield chunk;
    }
  }

  end(): void {
    clearTimeout(this.timer);
  }
}

/**
 * Bytes of an asset as they come, watched: silence longer than the limit, a wrong beginning, more
 * bytes than announced or fewer end it.
 * @throws AppError in words; what was received so far must then be thrown away
 */
export async function* fetchAsset(
  href: string,
  settings: ArchiveSettings,
  expected: Expected,
  signal: AbortSignal,
): AsyncGenerator<Uint8Array> {
  const patience = new Patience(settings.timeoutMs);
  let size = 0;
  const counted = (bytes: number) => {
    size += bytes;
  };
  try {
    const stop = AbortSignal.any([signal, patience.signal]);
    const { response } = await ask(href, settings, {}, stop);
    const limit = await limitOf(response, expected);
    yield* checkedChunks(patience.watch(bodyOf(response), counted), expected, limit);
  } catch (error) {
    if (signal.aborted) {
      throw signal.reason;
    }
    if (patience.signal.aborted) {
      const seconds = Math.round(settings.timeoutMs / 1000);
      throw archiveError(
        `The archive stopped sending ${expected.name}: nothing came for ${seconds} s`,
      );
    }
    // The connection broke: what Node throws then is a TypeError.
    if (!(error instanceof AppError) && error instanceof TypeError) {
      throw archiveError(`The archive broke off: only ${size} bytes of ${expected.name} arrived`);
    }
    throw error;
  } finally {
    patience.end();
  }
}
