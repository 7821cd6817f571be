import { InputError } from "@hindglance/core/errors";
import { FormatError } from "@hindglance/formats/errors";
import { readConfig } from "./config";
import { AppError, errorBody, notFound } from "./errors";

describe("settings from the environment", () => {
  const read = (env: NodeJS.ProcessEnv = {}) =>
    readConfig({ DATABASE_URL: "postgres://x", ...env });

  test("what is not set has a default that serves a single machine", () => {
    const config = read();
    expect(config).toMatchObject({
      databaseUrl: "postgres://x",
      host: "127.0.0.1",
      port: 5170,
      allowedHosts: [],
      logLevel: "info",
      checkAnswers: false,
      maxUploadBytes: 64 * 2 ** 30,
    });
    expect(config.workers).toBeGreaterThan(0);
    expect(config.workers).toBeLessThanOrEqual(8);
  });

  test("what is set is taken; names of hosts are a list with commas", () => {
    expect(
      read({
        PORT: "0",
        HOST: "::1",
        WORKERS: "0",
        MAX_UPLOAD_BYTES: "1000",
        ALLOWED_HOSTS: " maps.example:80, ,atlas.example ",
        CHECK_ANSWERS: "1",
      }),
    ).toMatchObject({
      port: 0,
      host: "::1",
      workers: 0,
      maxUploadBytes: 1000,
      allowedHosts: ["maps.example:80", "atlas.example"],
      checkAnswers: true,
    });
  });

  test("without a database nothing starts, and the way to one is named", () => {
    expect(() => readConfig({})).toThrow(/DATABASE_URL is not set\. Start with bin\/start/);
  });

  test.each([
    ["PORT", "65536", "a port number"],
    ["PORT", "-1", "a port number"],
    ["PORT", "eighty", "a port number"],
    ["WORKERS", "65", "a whole number from 0 to 64"],
    ["WORKERS", "1.5", "a whole number from 0 to 64"],
    ["MAX_UPLOAD_BYTES", "1e30", "a whole number of bytes"],
  ])("%s = %s is refused by its name, with what it may be", (name, value, what) => {
    expect(() => read({ [name]: value })).toThrow(`${name} must be ${what}, not "${value}"`);
  });
});

describe("errors as answers", () => {
  test("what the server means to say is said with its status, field and remedy", () => {
    expect(
      errorBody(new AppError(409, "notReady", "Still coming", "sceneIds", "Wait for it.")),
    ).toEqual({
      status: 409,
      body: {
        code: "notReady",
        message: "Still coming",
        field: "sceneIds",
        hint: "Wait for it.",
      },
      expected: true,
    });
    expect(errorBody(notFound("study"))).toMatchObject({
      status: 404,
      body: { code: "notFound", message: "There is no such study" },
    });
  });

  test("a file that cannot be read and a setting that cannot be used name what is wrong", () => {
    expect(errorBody(new FormatError("truncated", "The file ends early", "Copy it."))).toEqual({
      status: 422,
      body: { code: "truncated", message: "The file ends early", field: "file", hint: "Copy it." },
      expected: true,
    });
    expect(errorBody(new InputError("Too many", "groups"))).toMatchObject({
      status: 422,
      body: { code: "invalid", message: "Too many", field: "groups" },
      expected: true,
    });
  });

  test.each([new Error("password=secret"), "a text", null, undefined])(
    "what nobody foresaw tells nothing of the server's inside",
    (thrown) => {
      const { status, body, expected } = errorBody(thrown);
      expect([status, expected]).toEqual([500, false]);
      expect(JSON.stringify(body)).not.toContain("secret");
      expect(body.hint).toMatch(/log/);
    },
  );
});
