import {
  PeopleTally,
  allPeople,
  ontoCells,
  peopleOf as peopleIn,
  samplesAlong,
  spreadPeople,
} from "@hindglance/core/exposure/people";
import { COVER, buildGround } from "./ground";
import { peopleGrid, peopleOf, placesGeoJson, roadsGeoJson } from "./settlement";
import { TRUTH, truthOf } from "./truth";
import { FACTOR, imageGrid } from "./write";

const ground = buildGround(27);

test("people live in towns and on farms, whole ones", () => {
  const people = peopleOf(ground);
  const total = people.reduce((sum, count) => sum + count, 0);
  expect(total).toBeGreaterThan(5000);
  expect(people.every(Number.isInteger)).toBe(true);
  const { width } = peopleGrid();
  const onWater = people.filter((_count, k) => {
    const [c, r] = [(k % width) * 10, Math.floor(k / width) * 10];
    return [0, 9].every((j) =>
      [0, 9].every((i) => ground.cover[(r + j) * ground.grid.width + c + i] === COVER.water),
    );
  });
  expect(onWater.reduce((sum, count) => sum + count, 0) / total).toBeLessThan(0.01);
});

test("people under the true flood: spread over the classes, and summed cell by cell", () => {
  const grid = imageGrid(ground);
  const labels = truthOf(ground, FACTOR, grid.width, grid.height);
  const people = peopleOf(ground);
  const size = peopleGrid();
  const window = { col: 0, row: 0, width: size.width, height: size.height };
  const tally = new PeopleTally(1);
  const part = {
    window: { col: 0, row: 0, width: grid.width, height: grid.height },
    labels,
    zones: null,
  };
  spreadPeople(people, window, ontoCells(size, grid), samplesAlong(size, grid), part, tally);
  const sums = tally.toJSON();
  const total = people.reduce((sum, count) => sum + count, 0);
  expect(Math.abs(allPeople(sums) / total - 1)).toBeLessThan(1e-9);
  // A cell of people is 5 by 5 cells of the map.
  let direct = 0;
  people.forEach((count, k) => {
    const [c, r] = [(k % size.width) * 5, Math.floor(k / size.width) * 5];
    for (let j = 0; j < 5; j++) {
      for (let i = 0; i < 5; i++) {
        direct += labels[(r + j) * grid.width + c + i] === TRUTH.newWater ? count / 25 : 0;
      }
    }
  });
  expect(direct).toBeGreaterThan(50);
  expect(peopleIn(sums, TRUTH.newWater, null) / direct).toBeCloseTo(1, 9);
});

test("roads share the places where they meet; places have names", () => {
  const roads = roadsGeoJson().features.map(({ geometry }) => geometry.coordinates.map(String));
  const shared = roads.map((road, k) =>
    road.filter((place) => roads.some((other, j) => j !== k && other.includes(place))),
  );
  expect(shared.every((meetings) => meetings.length > 0)).toBe(true);
  const names = placesGeoJson().features.map(({ properties }) => properties.name);
  expect(new Set(names).size).toBe(names.length);
});
