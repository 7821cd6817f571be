import { DetailedError, type HttpRequest, Upload as Sender } from "tus-js-client";
import {
  DIGEST_HEADER,
  SENDING,
  type TakenUpload,
  uploadRoutes,
} from "@hindglance/contract/upload";
import { call } from "./call";
import { ApiError, answerIn, errorOf } from "./client";
import { digestOf } from "./digest";

/** Where a file lies in a folder whose files are sent together. */
export interface Place {
  /** The folder's id and name, the number of its files and their bytes. */
  folder: string;
  folderName: string;
  files: number;
  bytes: number;
  /** The file's path inside. */
  path: string;
}

/** A file that is to be sent. */
export interface ToSend {
  studyId: string;
  file: File;
  place: Place | null;
  /** What has arrived of it already, to go on with. */
  uploadId: string | null;
}

/** Who hears how it goes. */
export interface Hears {
  /** So much of the file is there, 0 to 1. */
  share(value: number): void;
  /** Whether it waits for a connection. */
  waits(isWaiting: boolean): void;
  /** Under which id it arrives. */
  begun(uploadId: string): void;
}

/** Bytes of one request: the server keeps what has come when a request breaks. */
const PIECE = 8 << 20;
/** A line that takes nothing for so long is given up and made anew, milliseconds. */
const SILENT_MS = 60_000;
/** How often is looked whether a line is silent, milliseconds. */
const LOOK_MS = 5000;
/** Pauses before it is tried again, the last one until the line is there: about a week. */
const PAUSES = [...[0, 1000, 2000, 5000, 10_000], ...Array.from({ length: 30_000 }, () => 20_000)];
/** How often is tried again what a server answers that is there. */
const FEW_TRIES = 5;

/** Whether it is worth while to try again after what the server answered; 0: it did not. */
function isPassing(status: number, attempt: number): boolean {
  const isAway = status === 0 || (status >= 502 && status <= 504);
  // Another sender took over, or the request was cut: where the file stands is asked anew.
  const isTold = [400, 409, 423, 429, 500].includes(status);
  return isAway || (isTold && attempt < FEW_TRIES);
}

const statusOf = (error: Error): number =>
  error instanceof DetailedError ? (error.originalResponse?.getStatus() ?? 0) : 0;

/** What went wrong, as the server said it or as the line broke. */
function problemOf(error: Error, name: string): ApiError {
  const status = statusOf(error);
  if (error instanceof DetailedError && error.originalResponse && status > 0) {
    const said = errorOf(status, error.originalResponse.getBody());
    const words = said.message.includes(name) ? said.message : `${name}: ${said.message}`;
    return new ApiError(status, said.code, words, said.field, said.hint);
  }
  return new ApiError(0, "offline", `${name} could not be sent: the connection broke`, "file");
}

const unreadable = (name: string): ApiError =>
  new ApiError(
    0,
    "unreadable",
    `${name} cannot be read any more: it was moved, changed or taken away`,
    "file",
    "Pick it again; what has arrived of it stays.",
  );

const metadataOf = ({ studyId, file, place }: ToSend): Record<string, string> => ({
  study: studyId,
  filename: file.name,
  modified: String(file.lastModified),
  ...(place && {
    folder: place.folder,
    foldername: place.folderName,
    path: place.path,
    files: String(place.files),
    bytes: String(place.bytes),
  }),
});

/** Whether a request carries the last bytes of a file. */
const isLast = (request: HttpRequest, file: File): boolean =>
  request.getMethod() === "PATCH" &&
  Number(request.getHeader("Upload-Offset")) + PIECE >= file.size;

const inBase64 = (hex: string): string =>
  btoa(String.fromCharCode(...hex.match(/../g)!.map((pair) => parseInt(pair, 16))));

/** One file on its way. */
class Line {
  private readonly sender: Sender;
  private readonly ending = new AbortController();
  private readonly digest: Promise<string>;
  /** What the study has of these bytes already, in words, once the checksum tells. */
  private readonly known: Promise<string | null>;
  private heardAt = Date.now();
  /** Whether a request is on its way, and whether there is a pause before the next one. */
  private isSending = false;
  private isWaiting = false;

  constructor(
    private readonly what: ToSend,
    private readonly hears: Hears,
    resolve: (taken: TakenUpload | null) => void,
    private readonly reject: (error: unknown) => void,
  ) {
    const { file, uploadId } = what;
    const endpoint = `${location.origin}/api${SENDING}`;
    this.digest = digestOf(file, this.ending.signal);
    this.known = this.askWhetherKnown().catch(() => null);
    this.sender = new Sender(file, {
      endpoint,
      uploadUrl: uploadId ? `${endpoint}/${uploadId}` : null,
      chunkSize: PIECE,
      metadata: metadataOf(what),
      retryDelays: PAUSES,
      storeFingerprintForResuming: false,
      onUploadUrlAvailable: () => this.begun(),
      onBeforeRequest: (request) => this.prepare(request),
      onProgress: (sent, total) => this.progress(sent, total),
      onShouldRetry: (error, attempt) => this.again(error, attempt),
      onSuccess: ({ lastResponse }) => {
        const text = lastResponse.getBody();
        this.end(() => resolve(text ? answerIn<TakenUpload | null>(text) : null));
      },
      onError: (error) => this.end(() => reject(problemOf(error, file.name))),
    });
  }

  /** Sends the file, and looks whether it goes on. */
  begin(signal: AbortSignal): void {
    const { signal: ended } = this.ending;
    signal.addEventListener("abort", () => this.cancel(), { once: true, signal: ended });
    const onLine = () => {
      if (this.isWaiting) {
        this.restart();
      }
    };
    addEventListener("online", onLine, { signal: ended });
    const looking = setInterval(() => {
      if (this.isSending && Date.now() - this.heardAt > SILENT_MS) {
        this.restart();
      }
    }, LOOK_MS);
    ended.addEventListener("abort", () => clearInterval(looking));
    this.sender.start();
    void this.known.then((said) => {
      if (said && !ended.aborted) {
        this.end(() => this.reject(new Error(said)));
        this.forget();
      }
    });
  }

  private end(how: () => void): void {
    this.ending.abort();
    how();
  }

  /** The last piece carries the checksum of the whole. */
  private async prepare(request: HttpRequest): Promise<void> {
    const { file } = this.what;
    this.isSending = false;
    if (isLast(request, file)) {
      const digest = await this.digest.catch(() => null);
      await this.known;
      if (digest === null) {
        await this.stop(unreadable(file.name));
      } else {
        request.setHeader(DIGEST_HEADER, `sha-256=:${inBase64(digest)}:`);
      }
      if (this.ending.signal.aborted) {
        // Nothing is sent any more.
        await new Promise<never>(() => {});
      }
    }
    this.heardAt = Date.now();
    this.isSending = true;
    this.isWaiting = false;
  }

  private progress(sent: number, total: number): void {
    this.heardAt = Date.now();
    // Once the last byte is sent the server looks at the file, which takes its time.
    this.isSending = sent < total;
    this.hears.waits(false);
    this.hears.share(sent / Math.max(1, total));
  }

  private again(error: DetailedError, attempt: number): boolean {
    const status = statusOf(error);
    const willTry = isPassing(status, attempt);
    this.isSending = false;
    this.isWaiting = willTry;
    if (status === 0) {
      void this.requireReadable();
    }
    this.hears.waits(willTry);
    return willTry;
  }

  /** A file that was changed or taken away looks like a broken line. */
  private async requireReadable(): Promise<void> {
    const { file } = this.what;
    await file
      .slice(0, 1)
      .arrayBuffer()
      .catch(() => this.stop(unreadable(file.name)));
  }

  /** Gives up the line and makes it anew, from the last byte that has arrived. */
  private restart(): void {
    this.heardAt = Date.now();
    void this.sender.abort().then(() => {
      if (!this.ending.signal.aborted) {
        this.sender.start();
      }
    });
  }

  private async stop(problem: ApiError): Promise<void> {
    await this.sender.abort();
    this.end(() => this.reject(problem));
  }

  private begun(): void {
    if (this.ending.signal.aborted) {
      this.forget();
    } else {
      this.hears.begun(this.sender.url!.split("/").pop()!);
    }
  }

  /** Takes away what has arrived; what is only being announced goes once it is. */
  private forget(): void {
    if (this.sender.url) {
      void this.sender.abort(true).catch(() => {});
    }
  }

  /** Stops, and takes away what has arrived. */
  private cancel(): void {
    this.end(() => this.reject(new DOMException("Cancelled", "AbortError")));
    this.forget();
  }

  /** What the study has already need not be sent to its end. */
  private async askWhetherKnown(): Promise<string | null> {
    const { studyId, file, place } = this.what;
    const sha256 = await this.digest;
    if (place) {
      return null;
    }
    const request = { params: { id: studyId }, query: { sha256, name: file.name } };
    return (await call(uploadRoutes.known, request)).said;
  }
}

/**
 * Sends a file in pieces, and goes on from the last byte when the line breaks, for as long as it
 * takes.
 * @returns what came of it; null where the server has not said it: it stands in the lists then
 * @throws ApiError with what the server answered, or that the file cannot be read
 * @throws DOMException "AbortError" where it was cancelled; what had arrived is gone then
 */
export const sendFile = (
  what: ToSend,
  hears: Hears,
  signal: AbortSignal,
): Promise<TakenUpload | null> =>
  new Promise((resolve, reject) => {
    signal.throwIfAborted();
    new Line(what, hears, resolve, reject).begin(signal);
  });
