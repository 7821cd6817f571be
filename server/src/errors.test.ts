import { InputError } from "@hindglance/core/errors";
import { FormatError } from "@hindglance/formats/errors";
import { AppError, errorBody } from "./errors";

const ofDatabase = (code: string, message = "x") => Object.assign(new Error(message), { code });

describe("an error as an answer", () => {
  test.each<[string, unknown, number, string]>([
    [
      "what a route says",
      new AppError(409, "changedElsewhere", "Changed"),
      409,
      "changedElsewhere",
    ],
    ["what a file is", new FormatError("truncated", "It ends too early"), 422, "truncated"],
    ["what was asked for", new InputError("Too large", "grid"), 422, "invalid"],
    ["a database that stops", ofDatabase("57P01"), 503, "busy"],
    ["a line that broke", new Error("Connection terminated unexpectedly"), 503, "busy"],
    ["a disk that is full", ofDatabase("53100"), 507, "diskFull"],
    [
      "the same as the system says it",
      new Error("could not extend file: No space left on device"),
      507,
      "diskFull",
    ],
  ])("%s has a status and words", (_what, error, status, code) => {
    const answer = errorBody(error);
    expect(answer).toMatchObject({ status, body: { code }, expected: true });
    expect(answer.body.message.length).toBeGreaterThan(5);
  });

  test("what nobody foresaw is not told, but logged", () => {
    const { status, body, expected } = errorBody(new Error("password=secret"));
    expect([status, expected]).toEqual([500, false]);
    expect(JSON.stringify(body)).not.toContain("secret");
  });

  test("a full disk says what helps", () => {
    expect(errorBody(ofDatabase("53100")).body.hint).toMatch(/Free some room/);
  });
});
