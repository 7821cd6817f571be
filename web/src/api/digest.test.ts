/** @jest-environment jsdom */
import type { DigestAnswer, DigestAsk } from "./digest.worker";

/** A worker of which a test says what it answers. */
class FakeWorker {
  static last: FakeWorker | null = null;
  readonly asked: DigestAsk[] = [];
  onmessage?: (event: { data: DigestAnswer }) => void;
  onerror?: () => void;
  constructor() {
    FakeWorker.last = this;
  }
  postMessage(ask: DigestAsk): void {
    this.asked.push(ask);
  }
}
Object.assign(globalThis, { Worker: FakeWorker });

describe("a page that wants a checksum", () => {
  beforeEach(() => jest.resetModules());
  const file = new File(["abc"], "a.tif");
  const begin = async () => {
    const { digestOf } = await import("./digest");
    const stop = new AbortController();
    return { digestOf, stop, promised: digestOf(file, stop.signal), worker: FakeWorker.last! };
  };

  test("gets the checksum of the file that it asked for", async () => {
    const { digestOf, stop, promised, worker } = await begin();
    const second = digestOf(file, stop.signal);
    const [one, two] = worker.asked;
    worker.onmessage!({ data: { id: two!.id, digest: "22" } });
    worker.onmessage!({ data: { id: one!.id, digest: "11" } });
    expect(await Promise.all([promised, second])).toEqual(["11", "22"]);
  });

  test("is told that a file cannot be read", async () => {
    const { promised, worker } = await begin();
    worker.onmessage!({ data: { id: worker.asked[0]!.id, problem: "It was taken away" } });
    await expect(promised).rejects.toThrow("It was taken away");
  });

  test("says when it is not wanted any more", async () => {
    const { promised, worker, stop } = await begin();
    stop.abort();
    await expect(promised).rejects.toMatchObject({ name: "AbortError" });
    expect(worker.asked[1]).toEqual({ id: worker.asked[0]!.id, file: null });
  });

  test("is told where the worker breaks, and begins another one", async () => {
    const { digestOf, promised, worker, stop } = await begin();
    worker.onerror!();
    await expect(promised).rejects.toThrow("The checksum could not be made");
    void digestOf(file, stop.signal).catch(() => {});
    expect(FakeWorker.last).not.toBe(worker);
  });
});
