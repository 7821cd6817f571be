import { AppError } from "../errors";

/**
 * Which addresses an archive may send us to, and how patient we are. Set for the server, never by a
 * request.
 */
export interface ArchiveSettings {
  url: string;
  alsoFrom: string[];
  timeoutMs: number;
}

const HINT = "Nothing was stored. Try again later, or ask whoever runs the archive.";

/** An answer that says what is wrong with the archive: 502, with a hint. */
export const archiveError = (message: string, hint = HINT) =>
  new AppError(502, "archive", message, undefined, hint);

const bodyOf = (response: Response) =>
  (response.body ?? []) as unknown as AsyncIterable<Uint8Array>;
const MAX_REDIRECTS = 3;
/** JSON answers beyond this are no answers. */
const MAX_JSON_BYTES = 32 << 20;

/**
 * An address as the archive names it, allowed only when it lies on the archive's own host or on one
 * that the server was told of.
 */
export function allowedUrl(href: string, base: string, archiveSettings: ArchiveSettings): URL {
  let url: URL;
  try {
    url = new URL(href, base);
  } catch {
    throw archiveError("The archive names an address that is none");
  }
  const origins = [archiveSettings.url, ...archiveSettings.alsoFrom].map((x) => new URL(x).origin);
  if (!/^https?:$/.test(url.protocol) || !origins.includes(url.origin)) {
    throw archiveError(
      `The archive points to ${url.protocol === "http:" || url.protocol === "https:" ? url.host : `a ${url.protocol.slice(0, -1)} address`}, from which this server may not fetch`,
      "Whoever runs this server can allow the host with ARCHIVE_FILES.",
    );
  }
  return url;
}

/** Asks for an address and follows a few redirects, each of them checked like the first. */
async function ask(
  href: string,
  archiveSettings: ArchiveSettings,
  init: RequestInit,
  stop: AbortSignal,
): Promise<{ response: Response; url: string }> {
  let url = allowedUrl(href, archiveSettings.url, archiveSettings);
  for (let hop = 0; ; hop++) {
    let response: Response;
    try {
      response = await fetch(url, { ...init, redirect: "manual", signal: stop });
    } catch (error) {
      throw stopped(error, stop, archiveSettings);
    }
    if (response.status < 300 || response.status >= 400) {
      return { response, url: url.href };
    }
    const to = response.headers.get("location");
    await response.body?.cancel();
    if (!to || hop >= MAX_REDIRECTS) {
      throw archiveError("The archive sends from one address to another without end");
    }
    url = allowedUrl(to, url.href, archiveSettings);
  }
}
function stopped(e: unknown, stop: AbortSignal, archiveSettings: ArchiveSettings): unknown {
  if (stop.aborted) {
    return (stop.reason as Error)?.name === "TimeoutError"
      ? archiveError(
          `The archive at ${new URL(archiveSettings.url).host} has not answered for ${Math.round(archiveSettings.timeoutMs / 1000)} s`,
        )
      : stop.reason;
  }
  if (e instanceof AppError) {
    return e;
  }
  const why = ((e as { cause?: { code?: string } }).cause?.code ?? "")
    .replace(/_/g, " ")
    .toLowerCase();
  return archiveError(
    `The archive at ${new URL(archiveSettings.url).host} cannot be reached${why ? ` (${why})` : ""}`,
  );
}

/** A JSON answer of the archive. @throws AppError when it is slow, broken, too large or no JSON */
export async function askJson(
  href: string,
  archiveSettings: ArchiveSettings,
  body?: object,
): Promise<unknown> {
  const stop = AbortSignal.timeout(archiveSettings.timeoutMs);
  const init: RequestInit = body
    ? {
        method: "POST",
        headers: {
          "content-type": "application/json",
          accept: "application/geo+json, application/json",
        },
        body: JSON.stringify(body),
      }
    : { headers: { accept: "application/geo+json, application/json" } };
  const { response } = await ask(href, archiveSettings, init, stop);
  const parts: Uint8Array[] = [];
  let size = 0;
  try {
    for await (const chunk of bodyOf(response)) {
      size += chunk.length;
      if (size > MAX_JSON_BYTES) {
        throw archiveError("The archive sends an answer without end");
      }
      parts.push(chunk);
    }
  } catch (error) {
    throw stopped(error, stop, archiveSettings);
  }
  if (response.status === 404) {
    throw new AppError(
      404,
      "archive",
      "The archive no longer has this",
      undefined,
      "Search again.",
    );
  }
  if (!response.ok) {
    throw archiveError(`The archive answers with status ${response.status}`);
  }
  try {
    return JSON.parse(Buffer.concat(parts).toString("utf8"));
  } catch {
    throw archiveError("The archive answers with something that is not JSON");
  }
}

/** What an asset must be: its size where the archive gives it, and how it has to begin. */
export interface Expected {
  name: string;
  bytes: number | null;
  maxBytes: number;
  begins: "zip" | "tiff" | "xml" | "picture";
}
const BEGINNINGS: Record<Expected["begins"], { name: string; test(bytes: Buffer): boolean }> = {
  zip: { name: "a zip", test: (bytes) => bytes.readUInt32BE(0) === 0x504b0304 },
  tiff: {
    name: "a TIFF",
    test: (bytes) =>
      ["49492a00", "4d4d002a", "49492b00", "4d4d002b"].includes(bytes.toString("hex", 0, 4)),
  },
  xml: {
    name: "XML",
    test: (bytes) =>
      /^\ufeff?\s*</.test(bytes.toString("utf8", 0, Math.min(bytes.length, 64))) &&
      !/^\ufeff?\s*<(!doctype html|html)/i.test(
        bytes.toString("utf8", 0, Math.min(bytes.length, 64)),
      ),
  },
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

/**
 * Bytes of an asset as they come, watched: silence longer than the limit, a wrong beginning, more
 * bytes than announced or fewer end it.
 * @throws AppError in words; what was received so far must then be thrown away
 */
export async function* fetchAsset(
  href: string,
  archiveSettings: ArchiveSettings,
  expected: Expected,
  signal: AbortSignal,
): AsyncGenerator<Uint8Array> {
  const silent = new AbortController();
  const stop = AbortSignal.any([signal, silent.signal]);
  const quiet = () => silent.abort(new DOMException("silence", "TimeoutError"));
  let timer = setTimeout(quiet, archiveSettings.timeoutMs);
  let size = 0;
  let head: Buffer | null = Buffer.alloc(0);
  const check = () => {
    if (head!.length < 4 || !BEGINNINGS[expected.begins].test(head!)) {
      throw archiveError(
        `The archive should send ${BEGINNINGS[expected.begins].name} for ${expected.name}, but sends something else`,
      );
    }
    head = null;
  };
  try {
    const { response } = await ask(href, archiveSettings, {}, stop);
    if (!response.ok) {
      await response.body?.cancel();
      throw archiveError(
        response.status === 404
          ? `The archive lists ${expected.name} but does not have it`
          : `The archive answers with status ${response.status} for ${expected.name}`,
      );
    }
    const said = response.headers.has("content-encoding")
      ? NaN
      : Number(response.headers.get("content-length") ?? NaN);
    if (expected.bytes !== null && Number.isFinite(said) && said !== expected.bytes) {
      await response.body?.cancel();
      throw archiveError(
        `The archive lists ${expected.name} with ${expected.bytes} bytes, but sends ${said}`,
      );
    }
    const limit = expected.bytes ?? (Number.isFinite(said) ? said : expected.maxBytes);
    if (limit > expected.maxBytes) {
      await response.body?.cancel();
      throw archiveError(
        `${expected.name} has ${limit} bytes, more than the ${expected.maxBytes} that can be taken`,
      );
    }
    for await (const chunk of bodyOf(response)) {
      clearTimeout(timer);
      timer = setTimeout(quiet, archiveSettings.timeoutMs);
      size += chunk.length;
      if (size > limit) {
        throw archiveError(
          `The archive sends more of ${expected.name} than the ${limit} bytes it announced`,
        );
      }
      // Nothing is handed on before its beginning was looked at.
      if (head) {
        head = Buffer.concat([head, chunk]);
        if (head.length < 64 && size < limit) {
          continue;
        }
        const all = head;
        check();
        yield all;
      } else {
        yield chunk;
      }
    }
    if (head) {
      const all = head;
      check();
      yield all;
    }
    if (
      Number.isFinite(limit) &&
      (expected.bytes !== null || Number.isFinite(said)) &&
      size !== limit
    ) {
      throw archiveError(
        `The archive broke off: only ${size} of ${limit} bytes of ${expected.name} arrived`,
      );
    }
  } catch (error) {
    if (signal.aborted) {
      throw signal.reason;
    }
    const name = (error as Error).name;
    if (silent.signal.aborted) {
      throw archiveError(
        `The archive stopped sending ${expected.name}: nothing came for ${Math.round(archiveSettings.timeoutMs / 1000)} s`,
      );
    }
    throw error instanceof AppError
      ? error
      : name === "TypeError"
        ? archiveError(`The archive broke off: only ${size} bytes of ${expected.name} arrived`)
        : error;
  } finally {
    clearTimeout(timer);
  }
}
