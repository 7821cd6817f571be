/** Takes the place of the browser's XMLHttpRequest: a test says how far it is and how it ends. */
export class FakeSending {
  static all: FakeSending[] = [];

  /** From now on files are sent with this; what was sent before is forgotten. */
  static install(): void {
    FakeSending.all = [];
    Object.assign(globalThis, { XMLHttpRequest: FakeSending });
  }

  /** Waits until so many have been sent off. */
  static async begun(count: number): Promise<FakeSending[]> {
    for (let tries = 0; FakeSending.all.length < count; tries++) {
      if (tries > 200) {
        throw new Error(`${FakeSending.all.length} of ${count} files were sent off`);
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
  readonly upload: { onprogress?: (event: object) => void } = {};
  onload?: () => void;
  onerror?: () => void;
  onabort?: () => void;

  open(method: string, address: string): void {
    this.method = method;
    this.address = address;
  }

  setRequestHeader(): void {}

  send(): void {
    FakeSending.all.push(this);
  }

  abort(): void {
    this.aborted = true;
    this.onabort?.();
  }

  /** So much of it is there, 0 to 1. */
  goOn(share: number): void {
    this.upload.onprogress?.({ lengthComputable: true, loaded: 1000 * share, total: 1000 });
  }

  /** The server answers. */
  end(status: number, body: object): void {
    this.status = status;
    this.responseText = JSON.stringify(body);
    this.onload?.();
  }

  /** The connection breaks. */
  breakOff(): void {
    this.onerror?.();
  }
}
