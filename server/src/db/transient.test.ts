import { AppError } from "../errors";
import { isConnectionLost, isTransient, tried } from "./transient";

const withCode = (code: string) => Object.assign(new Error("x"), { code });

describe("what passes by itself", () => {
  test.each(["08006", "57P01", "57P03", "53300", "40001", "40P01"])("is code %s", (code) => {
    expect(isTransient(withCode(code))).toBe(true);
  });
  test.each(["23505", "42P01", "53100", "57014"])("is not code %s", (code) => {
    expect(isTransient(withCode(code))).toBe(false);
  });
  test("is what the driver says of a broken line", () => {
    for (const words of ["Connection terminated unexpectedly", "connect ECONNREFUSED 127.0.0.1"]) {
      expect(isTransient(new Error(words))).toBe(true);
      expect(isConnectionLost(new Error(words))).toBe(true);
    }
    // Of a deadlock the connection stays good.
    expect(isConnectionLost(withCode("40P01"))).toBe(false);
  });
});

test("what people are told of an archive that is away does not pass as the database's", () => {
  const error = new AppError(502, "archive", "The archive does not answer (ECONNREFUSED)");
  expect(isTransient(error)).toBe(false);
  expect(isTransient(new AppError(503, "busy", "No connection is free"))).toBe(true);
});

describe("trying again", () => {
  test("gives what comes in the end", async () => {
    let tries = 0;
    const work = () => {
      tries++;
      return tries < 4 ? Promise.reject(withCode("57P03")) : Promise.resolve("there");
    };
    expect(await tried(work, { forMs: 5000 })).toBe("there");
    expect(tries).toBe(4);
  });
  test("ends with its time, and throws what was thrown", async () => {
    const begun = Date.now();
    await expect(
      tried(() => Promise.reject(withCode("08006")), { forMs: 300 }),
    ).rejects.toMatchObject({ code: "08006" });
    expect(Date.now() - begun).toBeLessThan(1000);
  });
  test("is not for what stays", async () => {
    let tries = 0;
    const work = () => {
      tries++;
      return Promise.reject(withCode("23505"));
    };
    await expect(tried(work, { forMs: 5000 })).rejects.toMatchObject({ code: "23505" });
    expect(tries).toBe(1);
  });
  test("ends at once where nobody waits any more", async () => {
    const stop = new AbortController();
    const work = tried(() => Promise.reject(withCode("08006")), {
      forMs: 60_000,
      signal: stop.signal,
    });
    setTimeout(() => stop.abort(), 20);
    await expect(work).rejects.toThrow();
  });
});
