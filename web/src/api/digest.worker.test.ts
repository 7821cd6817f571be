import { createHash } from "node:crypto";
import type { DigestAnswer, DigestAsk } from "./digest.worker";

describe("the worker", () => {
  const answers: DigestAnswer[] = [];
  let hear: (event: { data: DigestAsk }) => void;
  beforeAll(async () => {
    const real = globalThis.addEventListener;
    Object.assign(globalThis, {
      postMessage: (answer: DigestAnswer) => answers.push(answer),
      addEventListener: (_type: string, listener: typeof hear) => {
        hear = listener;
      },
    });
    await import("./digest.worker");
    globalThis.addEventListener = real;
  });
  beforeEach(() => {
    answers.length = 0;
  });
  const answered = async (count: number) => {
    for (let tries = 0; answers.length < count && tries < 300; tries++) {
      await new Promise((ok) => setTimeout(ok, 10));
    }
    return answers;
  };
  const fileOf = (bytes: Uint8Array<ArrayBuffer>) => new File([bytes], "a.tif");
  /** A file that was taken away meanwhile. */
  class Gone extends File {
    override slice(): Blob {
      throw new Error("Gone");
    }
  }

  test.each([0, 3, 4 << 20, (9 << 20) + 1])(
    "makes the SHA-256 of %i bytes that another program makes",
    async (length) => {
      const bytes = Uint8Array.from({ length }, (_v, i) => (i * 31 + (i >> 8)) & 255);
      hear({ data: { id: 1, file: fileOf(bytes) } });
      expect(await answered(1)).toEqual([
        { id: 1, digest: createHash("sha256").update(bytes).digest("hex") },
      ]);
    },
  );

  test("says what is wrong with one file and goes on with the next; one not wanted is passed over", async () => {
    hear({ data: { id: 1, file: new Gone(["abc"], "gone.tif") } });
    hear({ data: { id: 2, file: fileOf(new Uint8Array(9)) } });
    hear({ data: { id: 3, file: fileOf(new Uint8Array(5)) } });
    hear({ data: { id: 2, file: null } });
    expect(await answered(2)).toEqual([
      { id: 1, problem: "Gone" },
      { id: 3, digest: createHash("sha256").update(new Uint8Array(5)).digest("hex") },
    ]);
  });
});
