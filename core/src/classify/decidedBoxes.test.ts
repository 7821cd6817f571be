import { normalFrom } from "../testing/normal";
import { type Box, BoxSurvey } from "./boxSurvey";
import { DecidedBoxes } from "./decidedBoxes";
import { type Forest, USUAL_FOREST, growForest } from "./forest";
import { randomFrom } from "./random";

const CLASSES = 3;
const BANDS = 2;

/** A forest of three overlapping classes in two bands. */
function made(trees: number): Forest {
  const normal = normalFrom(31);
  const labels = Uint8Array.from({ length: 900 }, (_v, i) => i % CLASSES);
  const values = Float64Array.from({ length: 900 * BANDS }, (_v, at) => {
    const label = labels[Math.floor(at / BANDS)]!;
    return 3 * (at % BANDS === 0 ? label : label % 2) + normal();
  });
  return growForest({ values, d: BANDS }, labels, CLASSES, { ...USUAL_FOREST, trees, depth: 6 });
}
const forest = made(30);

/** What each tree says of a cell by its bins: a walk of its own. */
function sharesOf({ left, band, bin, shares }: Forest["trees"][number], cell: number[]): number[] {
  let node = 0;
  while (left[node] !== node) {
    node = left[node]! + (cell[band[node]!]! > bin[node]! ? 1 : 0);
  }
  return [...shares.subarray(node * CLASSES, (node + 1) * CLASSES)];
}

/** All cells of a box. */
function cellsOf({ low, high }: Box): number[][] {
  const cells: number[][] = [];
  for (let a = low[0]!; a <= high[0]!; a++) {
    for (let b = low[1]!; b <= high[1]!; b++) {
      cells.push([a, b]);
    }
  }
  return cells;
}

const box = (west: number, south: number, east: number, north: number): Box => ({
  low: Uint8Array.of(west, south),
  high: Uint8Array.of(east, north),
});

describe("what trees can say in a box", () => {
  const looks = [0, 7, 20];
  const survey = new BoxSurvey(forest, looks);

  test.each([box(0, 0, 40, 30), box(100, 90, 120, 140), box(7, 200, 7, 200)])(
    "gains are those of every cell of it, tree by tree",
    (own) => {
      survey.begin(own);
      const { top, gains } = survey.outlook(own, true);
      const cells = cellsOf(own);
      looks.forEach((look, at) => {
        const others = Array.from({ length: CLASSES }, (_v, k) => k).filter((k) => k !== top);
        const byClass = others.map((other) =>
          forest.trees.slice(look).reduce((sum, tree) => {
            const shares = cells.map((cell) => sharesOf(tree, cell));
            const largest = Math.max(...shares.map((share) => share[other]!));
            return sum + largest - Math.min(...shares.map((share) => share[top]!));
          }, 0),
        );
        expect(gains[at]).toBeCloseTo(Math.max(...byClass), 9);
      });
      // At a glance, no less is held possible.
      survey.outlook(own, false).gains.forEach((gain, at) => {
        expect(gain).toBeGreaterThanOrEqual(gains[at]! - 1e-9);
        expect(gain).toBeLessThanOrEqual(forest.trees.length - looks[at]!);
      });
    },
  );

  test("as many trees are settled as have one leaf for all cells; the cut parts both sides", () => {
    const own = box(100, 90, 108, 96);
    survey.begin(own);
    const { settled } = survey;
    const cut = survey.cut();
    const cells = cellsOf(own);
    const constant = forest.trees.filter((tree) => {
      const said = new Set(cells.map((cell) => sharesOf(tree, cell).join()));
      return said.size === 1;
    });
    // Leaves beside each other may say the same by chance.
    expect(settled).toBeGreaterThan(0);
    expect(settled).toBeLessThanOrEqual(constant.length);
    expect(cut.bin).toBeGreaterThanOrEqual(own.low[cut.band]!);
    expect(cut.bin).toBeLessThan(own.high[cut.band]!);
  });
});

describe("boxes that are decided", () => {
  const boxes = new DecidedBoxes(forest, [0, 10, 20]);
  const random = randomFrom(9);

  /** The box in which a cell lies. */
  function boxOf(cell: number[]): number {
    for (let at = 0; ;) {
      const left = boxes.nodes[2 * at + 1]! / 8;
      if (left === at) {
        return at;
      }
      const node = boxes.nodes[2 * at]!;
      at = left + (cell[(node & 0xffff) / 16]! > node >> 16 ? 1 : 0);
    }
  }

  test("have one class for all of their cells, that of all trees together", () => {
    for (let round = 0; round < 40; round++) {
      for (let k = 0; k < 500; k++) {
        boxes.visit(boxOf([Math.floor(256 * random()), Math.floor(256 * random())]));
      }
      boxes.grow();
    }
    let decided = 0;
    for (const cell of cellsOf(box(0, 0, 255, 255))) {
      const verdict = boxes.verdicts[boxOf(cell)]!;
      if (verdict > 0) {
        decided++;
        const sums = [0, 0, 0];
        forest.trees.forEach((tree) =>
          sharesOf(tree, cell).forEach((share, k) => (sums[k]! += share)),
        );
        expect(sums.indexOf(Math.max(...sums)) + 1).toBe(verdict);
      }
    }
    // Two in three of all places, where classes overlap.
    expect(decided / 65_536).toBeGreaterThan(2 / 3);
  });

  test("lie beside each other and cover the whole", () => {
    const area = Array.from({ length: boxes.count }, (_v, at) => at)
      .filter((at) => boxes.nodes[2 * at + 1] === 8 * at)
      .map((at) => {
        const { low, high } = boxes.boxAt(at);
        return (high[0]! - low[0]! + 1) * (high[1]! - low[1]! + 1);
      });
    expect(area.reduce((sum, cells) => sum + cells, 0)).toBe(65_536);
    expect(area.length).toBeGreaterThan(50);
  });
});
