import { type Ground, WIDTH, buildGround } from "./ground";
import { LEGEND, coverOnGrid, elsewhere, testAreas, trainingAreas } from "./landCover";

let ground: Ground;
beforeAll(() => {
  ground = buildGround(27);
}, 120_000);

const KM2 = 0.0009;
/** Square kilometres by what they were and became. */
function transitions(): Map<string, number> {
  const [then, now] = [ground.coverThen, ground.cover].map(coverOnGrid);
  const nameOf = (cover: number) => LEGEND.find((one) => one.cover === cover)?.name ?? "other";
  const areas = new Map<string, number>();
  then!.forEach((cover, i) => {
    if (cover !== now![i]) {
      const key = `${nameOf(cover)} to ${nameOf(now![i]!)}`;
      areas.set(key, (areas.get(key) ?? 0) + KM2);
    }
  });
  return areas;
}

describe("the Quill Basin between 2019 and 2025", () => {
  test("what changed is wood, fields, heath and reeds, each more than a square kilometre", () => {
    const large = [...transitions()].filter(([, km2]) => km2 > 0.01);
    expect(large.map(([name]) => name).sort()).toEqual([
      "Crop to Town",
      "Heath to Pasture",
      "Reeds to Water",
      "Wood to Crop",
    ]);
    expect(Math.min(...large.map(([, km2]) => km2))).toBeGreaterThan(1.2);
  });

  test("areas to train and to test on lie apart, each on ground of its classes", () => {
    const areas = [...trainingAreas(ground), ...testAreas(ground)];
    expect(areas).toHaveLength(7 * 6 + 7 * 3 + 4 * 4);
    const coverOf = (name: string) => LEGEND.find((one) => one.name === name)!.cover;
    for (const { now, then, ring } of areas) {
      for (const [x, y] of ring) {
        const i = Math.floor(y * 100) * WIDTH + Math.floor(x * 100);
        expect([ground.cover[i], ground.coverThen[i]]).toEqual([coverOf(now), coverOf(then)]);
      }
    }
    const boxes = areas.map(({ ring }) => {
      const [xs, ys] = [ring.map(([x]) => x), ring.map(([, y]) => y)];
      return [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)] as const;
    });
    boxes.forEach((a, i) =>
      boxes.slice(i + 1).forEach((b) => {
        expect(a[1] < b[0] || b[1] < a[0] || a[3] < b[2] || b[3] < a[2]).toBe(true);
      }),
    );
  });

  test("what others mapped is right in nineteen cells of twenty, under names of their own", () => {
    const { then, now } = elsewhere(ground);
    const share = (made: Uint8Array, numbers: Record<number, number>, fine: Uint8Array) => {
      const truth = coverOnGrid(fine);
      const counted = truth.filter((cover) => cover in numbers).length;
      return made.filter((number, i) => numbers[truth[i]!] === number).length / counted;
    };
    const [first, second] = [
      share(then.cells, { 1: 1, 2: 2, 3: 3, 4: 4, 5: 5, 6: 6, 7: 8, 8: 7 }, ground.coverThen),
      share(now.cells, { 1: 10, 2: 20, 3: 30, 4: 31, 5: 40, 6: 50, 7: 40, 8: 60 }, ground.cover),
    ];
    expect(Math.min(first, second)).toBeGreaterThan(0.95);
    expect(Math.max(first, second)).toBeLessThan(0.99);
    const names = Object.values(now.names);
    expect(Object.values(then.names).filter((name) => names.includes(name))).toEqual(["Water"]);
  });
});
