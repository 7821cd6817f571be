/** @jest-environment jsdom */
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { renderPart } from "../../testing/page";
import { aScene } from "../../testing/things";
import { axisOf, timeOf } from "./axis";
import { Handle } from "./Handle";
import { pairing } from "./pairing";
import { SceneMark } from "./SceneMark";

const scene = (id: string, day: string) =>
  aScene({ id, name: id, acquiredAt: `2025-05-${day}T00:00:00Z`, imageId: id });
const [first, second, third] = [scene("p", "02"), scene("q", "14"), scene("r", "26")];
const usable = [first, second, third];
const axis = axisOf(usable.map(timeOf), 600)!;

const pairs = (beforeId: string, afterId: string) => {
  const told: string[] = [];
  const pair = pairing({
    usable,
    before: usable.find(({ id }) => id === beforeId),
    after: usable.find(({ id }) => id === afterId),
    onPair: (before, after) => told.push(`${before} ${after}`),
  });
  return { pair, told };
};

describe("the axis", () => {
  test("has room on either side of all times", () => {
    expect(axis.x(timeOf(first))).toBeGreaterThan(24);
    expect(axis.x(timeOf(third))).toBeLessThan(600 - 24);
  });
  test("is not there without times or without room", () => {
    expect(axisOf([], 600)).toBeNull();
    expect(axisOf([1], 0)).toBeNull();
  });
});

describe("the handles", () => {
  test("go from scene to scene, and no further than the last", () => {
    const { pair, told } = pairs("p", "q");
    pair.step("after", 1);
    pair.step("before", -1);
    expect(told).toEqual(["p r"]);
  });
  test("never pass each other", () => {
    const { pair, told } = pairs("p", "q");
    pair.step("before", 1);
    pair.move("after", first);
    expect(told).toEqual([]);
  });
  test("tell nothing that is so already", () => {
    const { pair, told } = pairs("p", "q");
    pair.move("after", second);
    expect(told).toEqual([]);
  });
  test("go to the scene that is nearest to a place", () => {
    const { pair, told } = pairs("p", "q");
    pair.moveNear("after", axis.x(timeOf(third)) - 10, axis);
    expect(told).toEqual(["p r"]);
  });
  test("are moved by the arrow keys, and say where they are", async () => {
    const { pair, told } = pairs("p", "q");
    renderPart(<Handle side="after" scene={second} axis={axis} pair={pair} last={2} movable />);
    const handle = screen.getByRole("slider", { name: "After date" });
    expect(handle.getAttribute("aria-valuetext")).toBe("14 May 2025");
    expect(handle.getAttribute("aria-valuenow")).toBe("1");
    handle.focus();
    await userEvent.keyboard("{ArrowRight}{ArrowUp}");
    expect(told).toEqual(["p r"]);
  });
});

test("a scene says its name, its time and its side; one without an image cannot be picked", async () => {
  const picked: string[] = [];
  const mark = { x: 10, lane: 0, isPicked: false, pick: () => picked.push("p") };
  renderPart(
    <>
      <SceneMark {...mark} scene={first} side="before" />
      <SceneMark {...mark} scene={{ ...second, imageId: null }} side={null} />
    </>,
  );
  await userEvent.click(screen.getByRole("button", { name: "p, 2 May 2025, 00:00 UTC, before" }));
  expect(picked).toEqual(["p"]);
  expect(
    screen.getByRole<HTMLButtonElement>("button", { name: "q, 14 May 2025, 00:00 UTC" }).disabled,
  ).toBe(true);
});
