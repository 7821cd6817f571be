/** Where a file is to be sent, with its length and what was said of it. */
interface Announced {
  length: number;
  offset: number;
  said: Record<string, string>;
}

const bytesOf = (base64: string) => Uint8Array.from(atob(base64), (letter) => letter.charCodeAt(0));

/** What was said of a file: keys and values in base64, as the protocol sends them. */
function saidIn(metadata: string): Record<string, string> {
  const said: Record<string, string> = {};
  for (const pair of metadata.split(",")) {
    const [key = "", value = ""] = pair.split(" ");
    said[key] = new TextDecoder().decode(bytesOf(value));
  }
  return said;
}

/**
 * Takes the place of the browser's XMLHttpRequest as files are sent by it: a server that knows what
 * was announced and how much of it has come. A test says how far each piece is and how it ends.
 */
export class FakeSending {
  /** Pieces that were sent off, the oldest first. */
  static all: FakeSending[] = [];
  static files = new Map<string, Announced>();
  /** Ids of files that were forgotten. */
  static forgotten: string[] = [];
  /** Whether no server can be reached. */
  static isAway = false;
  /** What is answered to a file that is announced, where it is refused. */
  static refusal: { status: number; body: object } | null = null;

  /** From now on files are sent with this; what was sent before is forgotten. */
  static install(): void {
    FakeSending.all = [];
    FakeSending.files = new Map();
    FakeSending.forgotten = [];
    FakeSending.isAway = false;
    FakeSending.refusal = null;
    Object.assign(globalThis, { XMLHttpRequest: FakeSending });
  }

  /** Waits until so many pieces have been sent off. */
  static async begun(count: number): Promise<FakeSending[]> {
    for (let tries = 0; FakeSending.all.length < count; tries++) {
      if (tries > 500) {
        throw new Error(`${FakeSending.all.length} of ${count} pieces were sent off`);
      }
      await new Promise((ok) => setTimeout(ok, 10));
    }
    return FakeSending.all;
  }

  method = "";
  address = "";
  status = 0;
  responseText = "";
  aborted = false;
  /** Bytes of this piece. */
  bytes = 0;
  readonly headers: Record<string, string> = {};
  private readonly answers: Record<string, string> = {};
  readonly upload: { onprogress?: (event: object) => void } = {};
  onload?: () => void;
  onerror?: () => void;

  open(method: string, address: string): void {
    this.method = method;
    this.address = address;
  }

  setRequestHeader(name: string, value: string): void {
    this.headers[name.toLowerCase()] = value;
  }

  getResponseHeader(name: string): string | null {
    return this.answers[name.toLowerCase()] ?? null;
  }

  /** The file that it is about. */
  get file(): Announced {
    return FakeSending.files.get(this.id)!;
  }

  get id(): string {
    return this.address.split("/").pop()!;
  }

  send(body: Blob | null): void {
    this.bytes = body?.size ?? 0;
    if (this.method === "PATCH") {
      FakeSending.all.push(this);
    } else {
      setTimeout(() => this.answerAtOnce(), 0);
    }
  }

  private answerAtOnce(): void {
    if (this.aborted) {
      return;
    }
    if (FakeSending.isAway) {
      this.breakOff();
    } else if (this.method === "POST") {
      this.announce();
    } else if (this.method === "HEAD") {
      this.tell();
    } else {
      FakeSending.forgotten.push(this.id);
      this.answer(204);
    }
  }

  private announce(): void {
    const { refusal, files } = FakeSending;
    if (refusal) {
      this.responseText = JSON.stringify(refusal.body);
      this.answer(refusal.status);
      return;
    }
    const id = `u${files.size + 1}`;
    const length = Number(this.headers["upload-length"]);
    files.set(id, { length, offset: 0, said: saidIn(this.headers["upload-metadata"]!) });
    this.answers.location = `${this.address}/${id}`;
    this.answer(201);
  }

  private tell(): void {
    const { file } = this as { file?: Announced };
    if (file) {
      this.answers["upload-offset"] = String(file.offset);
      this.answers["upload-length"] = String(file.length);
    }
    this.answer(file ? 200 : 404);
  }

  private answer(status: number): void {
    this.status = status;
    this.onload?.();
  }

  abort(): void {
    this.aborted = true;
  }

  /** So much of this piece has come, 0 to 1. */
  goOn(share: number): void {
    const loaded = this.bytes * share;
    this.upload.onprogress?.({ lengthComputable: true, loaded, total: this.bytes });
  }

  /** All of this piece has come, and the server answers. */
  end(body: object | null = null): void {
    this.file.offset += this.bytes;
    this.answers["upload-offset"] = String(this.file.offset);
    this.responseText = body ? JSON.stringify(body) : "";
    this.answer(body ? 200 : 204);
  }

  /** The server answers that something is wrong. */
  refuse(status: number, body: object): void {
    this.responseText = JSON.stringify(body);
    this.answer(status);
  }

  /** The connection breaks once so much of this piece has come, 0 to 1. */
  breakOff(share = 0): void {
    if (this.method === "PATCH") {
      this.file.offset += Math.floor(this.bytes * share);
    }
    this.onerror?.();
  }
}
