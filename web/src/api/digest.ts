import type { DigestAnswer, DigestAsk } from "./digest.worker";

interface Waiting {
  resolve(digest: string): void;
  reject(error: Error): void;
}

/** What has been asked and not answered, and who answers; made with the first question. */
const waiting = new Map<number, Waiting>();
let worker: Worker | null = null;
let next = 1;

function begin(): Worker {
  const begun = new Worker(new URL("./digest.worker.ts", import.meta.url), { type: "module" });
  begun.onmessage = ({ data }: MessageEvent<DigestAnswer>) => {
    const asked = waiting.get(data.id);
    waiting.delete(data.id);
    if ("digest" in data) {
      asked?.resolve(data.digest);
    } else {
      asked?.reject(new Error(data.problem));
    }
  };
  begun.onerror = () => {
    worker = null;
    for (const asked of waiting.values()) {
      asked.reject(new Error("The checksum could not be made"));
    }
    waiting.clear();
  };
  return begun;
}

/**
 * SHA-256 of a file as hexadecimal digits. It is made beside the page, of one file after the other.
 * @throws Error where the file cannot be read (any more)
 * @throws DOMException "AbortError" where it is not wanted any more
 */
export function digestOf(file: File, signal: AbortSignal): Promise<string> {
  worker ??= begin();
  const asked = worker;
  const id = next++;
  const ask = (said: DigestAsk) => asked.postMessage(said);
  return new Promise((resolve, reject) => {
    waiting.set(id, { resolve, reject });
    signal.addEventListener(
      "abort",
      () => {
        if (waiting.delete(id)) {
          ask({ id, file: null });
          reject(new DOMException("Cancelled", "AbortError"));
        }
      },
      { once: true },
    );
    ask({ id, file });
  });
}
