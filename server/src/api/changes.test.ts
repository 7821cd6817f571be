import { changesBetween } from "@hindglance/contract/changes";
import { AppError } from "../errors";
import { changedSettings } from "./changes";

const settings = { looks: { on: true, range: 4 }, heldOut: ["a", "b"] };

test("settings take changes and stay as they were themselves", () => {
  const next = { looks: { on: false, range: 4 }, heldOut: ["b"] };
  expect(changedSettings(settings, changesBetween(settings, next), "chain")).toEqual(next);
  expect(settings.heldOut).toEqual(["a", "b"]);
});

test("what was changed meanwhile is a 409 that names the field as the page knows it", () => {
  const mine = changesBetween(settings, { ...settings, looks: { on: true, range: 2 } });
  const now = { ...settings, looks: { on: true, range: 8 } };
  const attempt = () => changedSettings(now, mine, "chain");
  expect(attempt).toThrow(AppError);
  try {
    attempt();
  } catch (error) {
    expect(error).toMatchObject({
      status: 409,
      code: "changedElsewhere",
      field: "looks.range",
      message: expect.stringContaining("setting of the chain") as string,
    });
  }
});

test("changes that lead nowhere are refused alike", () => {
  expect(() =>
    changedSettings(settings, [{ op: "remove", path: "/no/such/place" }], "chain"),
  ).toThrow(AppError);
});
