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

/**
 * Asks the server.
 * @throws ApiError with what it answered, or that it cannot be reached
 */
export async function api<T>(
  method: string,
  path: string,
  body?: unknown,
  signal?: AbortSignal,
): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, {
      method,
      signal,
      headers: body === undefined ? {} : { "content-type": "application/json" },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  } catch (error) {
    if ((error as Error).name === "AbortError") {
      throw error;
    }
    throw new ApiError(
      0,
      "offline",
      "The server does not answer",
      undefined,
      "Is it still running? Nothing on this page is lost.",
    );
  }
  if (!response.ok) {
    throw await errorOf(response.status, await response.text());
  }
  return (response.status === 204 ? null : await response.json()) as T;
}

async function errorOf(status: number, text: string): Promise<ApiError> {
  try {
    const error = (
      JSON.parse(text) as {
        error: { code: string; message: string; field?: string; hint?: string };
      }
    ).error;
    return new ApiError(status, error.code, error.message, error.field, error.hint);
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
    const sending = new XMLHttpRequest();
    sending.open("POST", `/api${path}`);
    sending.setRequestHeader("content-type", "application/octet-stream");
    sending.upload.onprogress = (e) => {
      if (e.lengthComputable) {
        progress(e.loaded / e.total);
      }
    };
    sending.onload = () => {
      if (sending.status < 300) {
        resolve(JSON.parse(sending.responseText) as T);
      } else {
        void errorOf(sending.status, sending.responseText).then(reject);
      }
    };
    sending.onerror = () =>
      reject(
        new ApiError(
          0,
          "offline",
          `${file.name} could not be sent: the connection broke`,
          "file",
          "Try again.",
        ),
      );
    sending.onabort = () => reject(new DOMException("Cancelled", "AbortError"));
    signal.addEventListener("abort", () => sending.abort(), { once: true });
    sending.send(file);
  });
}

/** What went wrong, in a sentence for people. */
export const sayError = (e: unknown): string => {
  if (e instanceof ApiError) {
    return `${e.message}.${e.hint ? ` ${e.hint}` : ""}`.replace(/([.?!])\./, "$1");
  }
  if (e instanceof Error) {
    return e.message;
  }
  return String(e);
};
