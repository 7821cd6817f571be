import { type ClassPaint, edgePixels, paintBands, paintClasses } from "./paint";

const cells = (columns: number[], rows: number[], width: number, height: number) => ({
  ...{ width, height, columns: Int32Array.from(columns), rows: Int32Array.from(rows) },
});

test("one band is grey between the ends of its stretch; what has no value is pale", () => {
  const out = new Uint8Array(3 * 4);
  paintBands(
    {
      cells: cells([0, 1, 2, -1], [0], 3, 1),
      bands: [Float32Array.of(-10, 5, NaN)],
      stretches: [{ lo: 0, hi: 10 }],
      ...{ pale: 0, isGrey: false },
    },
    out,
  );
  // Below the stretch: black; in its middle: 127; without a value and beside the image: 236.
  expect([...out]).toEqual([0, 0, 0, 127, 127, 127, 236, 236, 236, 236, 236, 236]);
});

test("three bands are red, green and blue, each by its stretch; pale lets white through", () => {
  const paint = (pale: number, isGrey: boolean) => {
    const out = new Uint8Array(3);
    paintBands(
      {
        cells: cells([0], [0], 1, 1),
        bands: [Float32Array.of(1), Float32Array.of(1), Float32Array.of(1)],
        stretches: [
          { lo: 0, hi: 1 },
          { lo: 0, hi: 2 },
          { lo: 1, hi: 2 },
        ],
        ...{ pale, isGrey },
      },
      out,
    );
    return [...out];
  };
  expect(paint(0, false)).toEqual([255, 127, 0]);
  // 255 (0.5 + 0.5 · 0.4) and 255 · 0.4.
  expect(paint(0.4, false)).toEqual([255, 178, 102]);
  // 0.2126 · 255 + 0.7152 · 127.
  expect(paint(0, true)).toEqual([145, 145, 145]);
});

const STYLES = new Map([[1, { color: "#c80000", pattern: "plain" as const }]]);
const WIDTH = 40;
/** A class in the columns 10 to 29 of 40 rows. */
const labels = Uint8Array.from({ length: WIDTH * WIDTH }, (_v, i) =>
  i % WIDTH >= 10 && i % WIDTH < 30 ? 1 : 0,
);
const PIXEL = 0.1;
const margin = edgePixels(PIXEL);

function painted(from: number, to: number, more: Partial<ClassPaint> = {}): Uint8Array {
  const out = new Uint8Array(3 * WIDTH * (to - from)).fill(200);
  const rows = Array.from({ length: to - from + 2 * margin }, (_v, k) => from - margin + k).map(
    (row) => (row < 0 || row >= WIDTH ? -1 : row),
  );
  const columns = Array.from({ length: WIDTH }, (_v, k) => k);
  paintClasses(
    {
      cells: cells(columns, rows, WIDTH, WIDTH),
      ...{ margin, labels, styles: STYLES, pixelMm: PIXEL, topMm: from * PIXEL, cover: 1 },
      ...more,
    },
    out,
  );
  return out;
}
const pixel = (out: Uint8Array, row: number, column: number) => [
  ...out.subarray(3 * (row * WIDTH + column), 3 * (row * WIDTH + column) + 3),
];

test("a class covers its cells, with a darker edge, and leaves all others alone", () => {
  const out = painted(0, WIDTH);
  expect(pixel(out, 20, 9)).toEqual([200, 200, 200]);
  expect(pixel(out, 20, 20)).toEqual([200, 0, 0]);
  // 0.45 of red at both sides of the class.
  expect(pixel(out, 20, 10)).toEqual([90, 0, 0]);
  expect(pixel(out, 20, 29)).toEqual([90, 0, 0]);
  expect(pixel(out, 20, 30)).toEqual([200, 200, 200]);
});

test("strip by strip the picture is the same as in one piece, patterns too", () => {
  const styles = new Map([[1, { color: "#c80000", pattern: "dots" as const }]]);
  const whole = painted(0, WIDTH, { styles });
  const parts = [0, 7, 8, 25, WIDTH];
  const strips = parts.slice(1).map((to, k) => painted(parts[k]!, to, { styles }));
  expect(Buffer.concat(strips).equals(Buffer.from(whole))).toBe(true);
});

test("what is covered in part shows through", () => {
  const out = painted(0, WIDTH, { cover: 0.5 });
  expect(pixel(out, 20, 20)).toEqual([200, 100, 100]);
});
