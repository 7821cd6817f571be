import { codeOf } from "@hindglance/core/errors";
import { isRecord } from "@hindglance/core/values";
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

/** Chunks of the body of an answer. */
export const bodyOf = (response: Response) =>
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
export async function ask(
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
    const reason: unknown = stop.reason;
    return isRecord(reason) && reason.name === "TimeoutError"
      ? archiveError(
          `The archive at ${new URL(archiveSettings.url).host} has not answered for ${Math.round(archiveSettings.timeoutMs / 1000)} s`,
        )
      : reason;
  }
  if (e instanceof AppError) {
    return e;
  }
  const why = codeOf(isRecord(e) ? e.cause : undefined)
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
