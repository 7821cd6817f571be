/** What the server said was wrong, in words for people. */
export class ApiError extends Error {
  override name = "ApiError";
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly field?: string,
    readonly hint?: string,
  ) {
    super(message);
  }
}

export async function api<T>(
  method: string,
  path: string,
  body?: unknown,
  signal?: AbortSignal,
): Promise<T> {
  let r: Response;
  try {
    r = await fetch(`/api${path}`, {
      method,
      signal,
      headers: body === undefined ? {} : { "content-type": "application/json" },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  } catch (e) {
    if ((e as Error).name === "AbortError") {
      throw e;
    }
    throw new ApiError(
      0,
      "offline",
      "The server does not answer",
      undefined,
      "Is it still running? Nothing on this page is lost.",
    );
  }
  if (!r.ok) {
    throw await errorOf(r.status, await r.text());
  }
  return (r.status === 204 ? null : await r.json()) as T;
}

async function errorOf(status: number, text: string): Promise<ApiError> {
  try {
    const e = (
      JSON.parse(text) as {
        error: { code: string; message: string; field?: string; hint?: string };
      }
    ).error;
    return new ApiError(status, e.code, e.message, e.field, e.hint);
  } catch {
    return new ApiError(status, "unknown", `The server answered with status ${status}`);
  }
}

/** Sends a file and tells how far it is; fetch cannot do that. */
export function sendFile<T>(
  path: string,
  file: File,
  progress: (share: number) => void,
  signal: AbortSignal,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const x = new XMLHttpRequest();
    x.open("POST", `/api${path}`);
    x.setRequestHeader("content-type", "application/octet-stream");
    x.upload.onprogress = (e) => {
      if (e.lengthComputable) {
        progress(e.loaded / e.total);
      }
    };
    x.onload = () => {
      if (x.status < 300) {
        resolve(JSON.parse(x.responseText) as T);
      } else {
        void errorOf(x.status, x.responseText).then(reject);
      }
    };
    x.onerror = () =>
      reject(
        new ApiError(
          0,
          "offline",
          `${file.name} could not be sent: the connection broke`,
          "file",
          "Try again.",
        ),
      );
    x.onabort = () => reject(new DOMException("Cancelled", "AbortError"));
    signal.addEventListener("abort", () => x.abort(), { once: true });
    x.send(file);
  });
}

export const sayError = (e: unknown): string =>
  e instanceof ApiError
    ? `${e.message}.${e.hint ? ` ${e.hint}` : ""}`.replace(/([.?!])\./, "$1")
    : e instanceof Error
      ? e.message
      : String(e);
