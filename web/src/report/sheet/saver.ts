import type { SheetState } from "@hindglance/contract/sheet";
import type { Sheet } from "@hindglance/core/sheet/layout";

/** Sends what is set of a sheet, by the version that it was changed from. */
type Send = (sheet: Sheet, version: number) => Promise<SheetState>;

/** How long a sheet rests before it is sent, milliseconds. */
const REST_MS = 500;

/** Keeps what is set of a sheet: one request at a time, and the last state always gets there. */
export class SheetSaver {
  private next: Sheet | null = null;
  private timer: ReturnType<typeof setTimeout> | null = null;
  private sending: Promise<void> | null = null;

  constructor(
    private readonly send: Send,
    private version: number,
    private readonly onError: (error: Error) => void,
  ) {}

  /** Keeps a state, soon. */
  keep(sheet: Sheet): void {
    this.next = sheet;
    if (this.timer !== null) {
      clearTimeout(this.timer);
    }
    this.timer = setTimeout(() => void this.flush(), REST_MS);
  }

  /** Sends what was not sent yet; ends when it has arrived. */
  async flush(): Promise<void> {
    if (this.timer !== null) {
      clearTimeout(this.timer);
      this.timer = null;
    }
    while (this.next !== null || this.sending) {
      this.sending ??= this.one().finally(() => {
        this.sending = null;
      });
      await this.sending;
    }
  }

  private async one(): Promise<void> {
    const sheet = this.next!;
    this.next = null;
    try {
      this.version = (await this.send(sheet, this.version)).version;
    } catch (error) {
      this.onError(error instanceof Error ? error : new Error(String(error)));
    }
  }
}
