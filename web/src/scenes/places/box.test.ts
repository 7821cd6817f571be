import { toLonLat } from "ol/proj";
import { type Ring, boxOf, inOnePiece, isBeyond, viewOn, worldView } from "./box";

const square = (west: number, east: number): Ring => [
  [west, -1],
  [east, -1],
  [east, 1],
  [west, 1],
  [west, -1],
];

describe("an outline", () => {
  test("that crosses the line where dates change goes on beyond it", () => {
    expect(inOnePiece(square(179, -179)).map(([lon]) => lon)).toEqual([179, 181, 181, 179, 179]);
  });
  test("that does not cross it stays as it is", () => {
    const ring = square(-10, 12);
    expect(inOnePiece(ring)).toBe(ring);
  });
});

describe("an outline near a pole", () => {
  test("is beyond the map where all of it is", () => {
    const around = (lat: number): Ring => square(-180, 180).map(([lon, y]) => [lon, lat + y]);
    expect([isBeyond(around(-88)), isBeyond(around(-85.5)), isBeyond(around(20))]).toEqual([
      true,
      false,
      false,
    ]);
  });
});

describe("the box around outlines", () => {
  test("reaches from corner to corner of all of them", () => {
    const [west, south, east, north] = boxOf([square(-10, 12), square(20, 30)])!;
    const [x0, y0] = toLonLat([west, south]);
    const [x1, y1] = toLonLat([east, north]);
    [
      [x0, -10],
      [y0, -1],
      [x1, 30],
      [y1, 1],
    ].forEach(([found, wanted]) => expect(found).toBeCloseTo(wanted!, 9));
  });
  test("is not there without any", () => {
    expect(boxOf([])).toBeNull();
  });
});

describe("views", () => {
  test("have the box in their middle, and the world where there is none", () => {
    expect(viewOn([0, 0, 2000, 4000]).getCenter()).toEqual([1000, 2000]);
    expect(viewOn(null).getCenter()![0]).toBe(0);
  });
  test("show no less than two kilometres", () => {
    const small = viewOn([0, 0, 1, 1]).getResolution()!;
    expect(small).toBe(viewOn([0, 0, 2000, 2000]).getResolution());
  });
  test("of the small map of the world cannot be zoomed", () => {
    const view = worldView([0, 0, 2000, 4000]);
    expect(view.getMinResolution()).toBe(view.getMaxResolution());
  });
});
